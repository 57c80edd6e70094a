import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Beside } from "./Beside";
import { BesideRequest } from "./BesideRequest";
import { more, notable } from "./Changes";
import { USUAL, besideQuery } from "./queries";

afterEach(cleanup);

const START = 1_790_000_000_000;
const END = START + 900_000;
const layers = (database: number, cache: number) => ({ own: 40, database, cache, external: 0, queue: 0 });
const endpoint = (more: Partial<Schemas["EndpointOut"]>): Schemas["EndpointOut"] =>
  ({ requests: 20, mean_ms: 50, statements: 78, layers: layers(960, 0), ...more }) as Schemas["EndpointOut"];
const changed = (more: Partial<Schemas["ChangedOut"]>): Schemas["ChangedOut"] => ({
  ...{ layer: "database" as const, label: "SELECT ?", query_id: "77", change: "same" as const },
  ...{ runs: 1, runs_before: 1, ms: 1, ms_before: 1, ...more },
});
const CHANGES = [
  changed({ label: "SELECT name", change: "more", runs: 77, runs_before: 1, ms: 45, ms_before: 2 }),
  changed({
    layer: "cache",
    label: "redis",
    query_id: null,
    change: "gone",
    runs: 0,
    runs_before: 1,
    ms: 0,
    ms_before: 0.3,
  }),
  changed({ label: "SELECT quick" }),
];
const page = (more: Partial<Schemas["EndpointPageOut"]> = {}): Schemas["EndpointPageOut"] =>
  ({
    ...{ start: START, end: END, beside_start: START - 900_000, beside_end: START, beside_version: "" },
    ...{ before: endpoint({ mean_ms: 8, statements: 2, layers: layers(40, 6) }), changes: CHANGES },
    ...{ choices: { service: [], version: ["3.0", "3.1"], host: [] } },
    ...more,
  }) as Schemas["EndpointPageOut"];

async function open(data: Schemas["EndpointPageOut"], beside = "", version = "") {
  const onBeside = vi.fn();
  await shown(<Beside server={3} page={data} now={endpoint({})} {...{ beside, version, onBeside }} />);
  return onBeside;
}

const rows = (name: string): string[] =>
  within(screen.getByRole("table", { name }))
    .getAllByRole("row")
    .slice(1)
    .map((row) => row.textContent);

describe("an endpoint beside itself", () => {
  it("says what a request takes on both sides, and what came, went and is run more often", async () => {
    await open(page());
    expect(rows("one request beside the others")).toEqual([
      "in all50 ms8 ms",
      "own code2 ms2 ms",
      "database48 ms2 ms",
      "cache0 ms0.3 ms",
      "statements782",
    ]);
    const told = rows("what a request runs and calls beside the others");
    expect(told).toHaveLength(2);
    expect(told[0]).toBe("more oftenSELECT name771+43 ms");
    expect(told[1]).toBe("goneredis cache01−0.3 ms");
  });

  it("stands beside another time, and another version once one is chosen", async () => {
    const onBeside = await open(page(), "", "3.1");
    await userEvent.click(screen.getByRole("button", { name: "beside: the window before" }));
    expect(screen.getAllByRole("option").map((one) => one.textContent)).toEqual([
      ...["the window before", "an hour earlier", "a day earlier", "a week earlier", "version 3.0"],
    ]);
    await userEvent.click(screen.getByRole("option", { name: "version 3.0" }));
    expect(onBeside).toHaveBeenCalledExactlyOnceWith("version:3.0");
  });

  it("stands beside any window: one is kept while the rail chooses the other", async () => {
    const onBeside = await open(page());
    await userEvent.click(screen.getByRole("button", { name: "keep this window for comparing" }));
    expect(onBeside).toHaveBeenCalledExactlyOnceWith(`${START}~${END}`);
    cleanup();
    await open(page({ beside_start: START, beside_end: END }), `${START}~${END}`);
    expect(document.body.textContent).toContain("move the window: it stands beside this one");
  });

  it("says that there was nothing then, or that nothing changed", async () => {
    await open(page({ before: null, changes: [] }));
    expect(document.body.textContent).toContain("There was no request then.");
    cleanup();
    await open(page({ changes: [changed({})] }));
    expect(document.body.textContent).toContain("A request runs and calls what the others do");
  });
});

describe("what is notable", () => {
  it("is what came or went however quick, and what takes a notable part more or less", () => {
    const slower = changed({ label: "slower", ms: 5, ms_before: 1 });
    expect(notable([...CHANGES, slower], 100).map((one) => one.label)).toEqual(["SELECT name", "redis", "slower"]);
    expect(notable([slower], 1000)).toEqual([]);
    expect([more(43), more(-0.3), more(0)]).toEqual(["+43 ms", "−0.3 ms", "+0 ms"]);
  });
});

describe("a request beside another", () => {
  const side = (trace: string, at: number, version = "7"): Schemas["RequestSideOut"] => ({
    ...{ trace, top: "cd", at, duration_ms: 50, layers: layers(5, 1), statements: 2, error: false, version },
  });

  it("names the other one, leads to it and back, and says what differs", async () => {
    const request = { trace: "ab", top: "cd" } as Schemas["RequestOut"];
    await shown(<BesideRequest server={3} request={request} other={USUAL} />, [
      [
        besideQuery(3, "ab", "cd", USUAL).queryKey,
        { this: side("ab", END), other: side("ef", START, "6"), changes: CHANGES },
      ],
    ]);
    expect(document.body.textContent).toContain("Beside a usual one, of middle duration");
    expect(document.body.textContent).toContain("of version 6 and not 7");
    expect(screen.getByRole("link", { name: /that of/ }).getAttribute("href")).toMatch(
      /requests\/ef\?.*beside_trace=ab/,
    );
    expect(rows("what a request runs and calls beside the others")).toHaveLength(2);
  });
});
