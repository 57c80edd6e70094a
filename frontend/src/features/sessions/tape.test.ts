import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { tapeLanes, tapeSentence } from "./tape";

const who = (pid: number, program: string) => ({ pid, program, started_s: 1, backend: "client backend" });
const stretch = (first: number, ticks: number, blocker: number) => ({
  first,
  last: first + 1000 * ticks,
  ticks,
  blocker,
  active: true,
  kind: blocker ? "lock" : "running",
  wait_label: blocker ? "Lock: tuple" : "running, no wait",
});
const tape = (stretches: object[], others: object[] = []): Schemas["TapeOut"] =>
  ({
    session: who(50, "booking-web"),
    tick_ms: 1000,
    wait_tick_ms: 1000,
    ticks: 60,
    waits: [
      { label: "Lock: tuple", ticks: 9 },
      { label: "running, no wait", ticks: 3 },
    ],
    stretches,
    others,
    ran: [{ began: 2000, seen: 1000, statement: "", query_id: null }],
  }) as unknown as Schemas["TapeOut"];

describe("a tape in words", () => {
  it("says how busy the session was and mostly with what", () => {
    expect(tapeSentence(tape([stretch(0, 3, 0)]))).toBe(
      "booking-web (pid 50) was seen busy for 12 s of 1 min sampled, 75% of it Lock: tuple.",
    );
  });

  it("holds each blocker to its own time, the one that cost most by name", () => {
    const found = tape(
      [stretch(0, 2, 7), stretch(2000, 5, 8), stretch(7000, 1, 7), stretch(9000, 1, -1)],
      [who(7, "ops-console"), who(8, "crew-planner")],
    );
    expect(tapeSentence(found)).toContain("It was blocked for 5 s by crew-planner (pid 8), and for 4 s by 2 others.");
  });

  it("says of a blocker that no sample saw that it was not sampled, and of a prepared transaction what it is", () => {
    expect(tapeSentence(tape([stretch(0, 2, 9)]))).toContain("blocked for 2 s by pid 9, not sampled.");
    expect(tapeSentence(tape([stretch(0, 2, -1)]))).toContain("blocked for 2 s by a prepared transaction.");
  });
});

describe("a tape in lanes", () => {
  const lanes = tapeLanes(tape([stretch(0, 2, 7), stretch(2000, 3, 0)], [who(7, "ops-console")]));

  it("has statements on top, then what it did, then who blocked it and when", () => {
    expect(lanes.map((lane) => lane.label)).toEqual(["statements", "doing", "ops-console"]);
    expect(lanes[1]?.parts.map((part) => part.words)).toEqual([
      "Lock: tuple, blocked by ops-console (pid 7)",
      "running, no wait",
    ]);
    expect(lanes[2]?.parts).toHaveLength(1);
    expect(lanes[2]?.parts[0]).toMatchObject({ first: 0, last: 2000, words: "blocking it" });
  });

  it("never ends a statement before it began", () => {
    expect(lanes[0]?.parts[0]).toMatchObject({ first: 2000, last: 2000 });
    expect(lanes[0]?.parts[0]?.words).toContain("a statement, since");
  });
});
