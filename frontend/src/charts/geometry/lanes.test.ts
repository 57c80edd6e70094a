import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { cells, partAt, ties } from "./lanes";

const scale = { from: 10_000, to: 20_000, width: 100, tickMs: 1000 };
const part = (first: number, last: number, blocker = 0) => ({ first, last, blocker });

describe("cells", () => {
  it("stand for the last tick as well, and are cut at the edges", () => {
    expect(cells([part(12_000, 13_000), part(5_000, 10_500), part(19_500, 30_000)], scale)).toEqual([
      { part: part(12_000, 13_000), x: 20, width: 20 },
      { part: part(5_000, 10_500), x: 0, width: 15 },
      { part: part(19_500, 30_000), x: 95, width: 5 },
    ]);
    expect(cells([part(1_000, 2_000), part(25_000, 26_000)], scale)).toEqual([]);
  });

  it("never leave the picture", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 40_000 }), fc.nat(20_000), (first, length) => {
        for (const cell of cells([part(first, first + length)], scale)) {
          expect(cell.x).toBeGreaterThanOrEqual(0);
          expect(cell.x + cell.width).toBeLessThanOrEqual(scale.width + 1);
        }
      }),
    );
  });
});

describe("ties", () => {
  it("lead to the lane of whoever holds up, once for each holder", () => {
    const lanes = [
      { pid: 7, parts: [part(10_000, 19_000)] },
      { pid: 11, parts: [part(12_000, 13_000, 7), part(14_000, 15_000, 7), part(16_000, 17_000, 99)] },
      { pid: 12, parts: [part(15_000, 19_000, 11)] },
    ];
    expect(ties(lanes, scale)).toEqual([
      { x: 20, from: 1, to: 0 },
      { x: 50, from: 2, to: 1 },
    ]);
  });
});

describe("partAt", () => {
  it("finds the part of a moment, and none between parts", () => {
    const parts = [part(12_000, 13_000), part(16_000, 16_000)];
    expect(partAt(parts, 13_900, 1000)).toBe(parts[0]);
    expect(partAt(parts, 15_000, 1000)).toBeUndefined();
  });
});
