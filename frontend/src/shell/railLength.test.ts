import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { RAIL_LENGTHS_S, railLength, railOptions } from "./railLength";

const NOW = 1_700_000_000_000;
const history = (hours: number) => ({
  now: NOW,
  starts: Array.from({ length: 24 }, (_, i) => NOW - (24 - i) * 3_600_000),
  ticks: Array.from({ length: 24 }, (_, i) => (24 - i <= hours ? 3600 : 0)),
});

describe("the length of the rail", () => {
  it("is a day, or less while there is less to show", () => {
    expect(railLength(undefined, NOW - 900_000, NOW)).toBe(86_400);
    expect(railLength(history(24), NOW - 900_000, NOW)).toBe(86_400);
    expect(railLength(history(1), NOW - 900_000, NOW)).toBe(3600);
    expect(railLength(history(5), NOW - 900_000, NOW)).toBe(21_600);
  });

  it("is told in words, also one that only the address brings", () => {
    const words = (chosen: number) => railOptions(chosen).map((one) => one.label);
    expect(words(86_400)).toEqual(["1 h", "6 h", "24 h", "7 d", "14 d", "30 d", "90 d"]);
    expect(words(864_000)).toEqual(["1 h", "6 h", "24 h", "7 d", "10 d", "14 d", "30 d", "90 d"]);
    expect(railOptions(5400)[1]).toEqual({ value: "5400", label: "1 h 30 min" });
  });

  it("always holds the window, up to its greatest length", () => {
    fc.assert(
      fc.property(fc.integer({ min: 60, max: 7_776_000 }), fc.integer({ min: 0, max: 24 }), (seconds, hours) => {
        const length = railLength(history(hours), NOW - seconds * 1000, NOW);
        expect(length).toBeGreaterThanOrEqual(seconds);
        expect(RAIL_LENGTHS_S).toContain(length);
      }),
    );
  });
});
