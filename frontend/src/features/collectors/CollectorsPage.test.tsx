import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { shown } from "../../testing/shown";
import { CollectorsPage } from "./CollectorsPage";
import type { Collector } from "./model";

afterEach(cleanup);

const collector: Collector = {
  holder: "shore:/var/lib/faena",
  version: "0.1.0+1",
  seen: Date.now(),
  silent_ms: 500,
  alive: true,
  standing_by: false,
  started: Date.now() - 3_600_000,
  waiting: 17,
  dropped: 3,
  disk_full: false,
  store_away_since: null,
  refused: 1,
  refused_latest: [{ at: Date.now(), server_id: 4, kind: "logged", reason: "a line number of 80 digits" }],
  jobs: [
    { name: "retention", every_s: 600, ran_at: null, took_ms: null, error: "" },
    { name: "rollups", every_s: 60, ran_at: Date.now() - 5000, took_ms: 12, error: "" },
    { name: "usual", every_s: 60, ran_at: Date.now() - 5000, took_ms: 12, error: "out of shared memory" },
  ],
  servers: [
    {
      server_id: 4,
      name: "bookings",
      state: "away",
      message: "refused the password",
      last_sample: null,
      took_ms: null,
      missed: 2,
    },
  ],
};

const view = (all: readonly Collector[]) => shown(<CollectorsPage />, [[["collectors"], all]]);
const row = (name: string): string =>
  screen.getAllByRole("row").find((one) => one.textContent.startsWith(name))?.textContent ?? "";

describe("collectors", () => {
  it("tell what waits, what was dropped and what was put aside, with what to do about it", async () => {
    const { container } = await view([collector]);
    for (const part of [
      "17 readings",
      "dropped, no room left3",
      "put aside1 record",
      "a line number of 80 digits",
      "./faena replay",
    ])
      expect(container.textContent).toContain(part);
  });

  it("tell why a server is not sampled", async () => {
    await view([collector]);
    expect(row("bookings")).toContain("awayrefused the passwordnone yet");
  });

  it("do not call a job well that never ran or that failed", async () => {
    await view([collector]);
    expect(row("retention")).toContain("not yet");
    expect(row("retention")).not.toContain("well");
    expect(row("usual")).toContain("failed: out of shared memory");
    expect(row("rollups")).toContain("went well");
  });

  it("are missed where there are none", async () => {
    const { container } = await view([]);
    expect(container.textContent).toContain("No collector has told of itself yet.");
    expect(container.textContent).toContain("./faena collect");
  });
});
