import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Proposals } from "./Proposals";
import { proposalsQuery } from "./queries";

afterEach(cleanup);

const nothing: Schemas["ProposalsOut"] = { estimates: [], proposals: [], refused: [], unknown: "" };
const view = (data: Schemas["ProposalsOut"]) =>
  shown(<Proposals planKey="abc" />, [[proposalsQuery("abc").queryKey, data]]);

describe("what a server's statistics say of a plan", () => {
  it("tells why an estimate is wrong and what mends it, by the number of its step", async () => {
    await view({
      ...nothing,
      estimates: [{ step: 2, sentence: "the statistics of booking are stale", next_step: "ANALYZE booking;" }],
    });
    expect(screen.getByText(/Step 3: the statistics of booking are stale\./)).toBeTruthy();
    expect(screen.getByText("ANALYZE booking;")).toBeTruthy();
  });

  it("says why nothing is proposed", async () => {
    await view({ ...nothing, refused: [{ step: 0, sentence: "booking (paid): half of its rows match" } as never] });
    expect(screen.getByText(/Not proposed: booking \(paid\)/)).toBeTruthy();
    cleanup();
    await view({ ...nothing, unknown: "This server is made up." });
    expect(screen.getByText("This server is made up.")).toBeTruthy();
    cleanup();
    await view(nothing);
    expect(screen.getByText(/No step of it reads a table/)).toBeTruthy();
  });
});
