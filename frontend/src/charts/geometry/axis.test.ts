import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { timeTicks, valueTicks } from "./axis";

const NOW = new Date(2026, 10, 23, 14, 5).getTime();

describe("ticks of the time axis", () => {
  it("stand apart, inside, in order, and on round times", () => {
    fc.assert(
      fc.property(fc.integer({ min: 10, max: 90 * 86_400 }), fc.integer({ min: 200, max: 1600 }), (seconds, width) => {
        const ticks = timeTicks(NOW - seconds * 1000, NOW, width, NOW);
        ticks.forEach((tick, i) => {
          expect(tick.x).toBeGreaterThanOrEqual(0);
          expect(tick.x).toBeLessThan(width);
          expect(tick.at % 1000).toBe(0);
          const before = ticks[i - 1];
          if (before) expect(tick.x - before.x).toBeGreaterThanOrEqual(89);
        });
      }),
    );
  });

  it("has none where there is no room or no time", () => {
    expect(timeTicks(0, 1000, 0, NOW)).toEqual([]);
    expect(timeTicks(5, 5, 100, NOW)).toEqual([]);
  });
});

describe("ticks of the value axis", () => {
  it("lie above zero and within the range", () => {
    fc.assert(
      fc.property(fc.double({ min: 0.01, max: 1e4, noNaN: true }), (most) => {
        for (const { value } of valueTicks(most, (v) => v)) {
          expect(value).toBeGreaterThan(0);
          expect(value).toBeLessThanOrEqual(most + 1e-9);
        }
      }),
    );
  });
});
