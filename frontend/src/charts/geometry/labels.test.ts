import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { spreadOut } from "./labels";

describe("names beside lines", () => {
  it("stay where they are wanted while they are clear of each other", () => {
    expect(spreadOut([90, 10, 50], 15, 100)).toEqual([90, 10, 50]);
  });

  it("are pushed apart, and never beyond the bottom", () => {
    expect(spreadOut([100, 99, 98, 10], 15, 100)).toEqual([100, 85, 70, 10]);
  });

  it("stand in the plot and apart, in the order of their lines, however many there are", () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 200, noNaN: true }), { minLength: 1, maxLength: 40 }), (wanted) => {
        const found = spreadOut(wanted, 15, 200);
        const sorted = found.toSorted((a, b) => a - b);
        const gap = Math.min(15, 200 / Math.max(1, wanted.length - 1));
        expect(sorted[0]).toBeGreaterThanOrEqual(-1e-6);
        expect(sorted.at(-1)).toBeLessThanOrEqual(200);
        sorted.slice(1).forEach((at, i) => expect(at - (sorted[i] ?? 0)).toBeGreaterThanOrEqual(gap - 1e-6));
        const order = (of: number[]) => of.map((_, i) => i).sort((a, b) => (of[a] ?? 0) - (of[b] ?? 0) || a - b);
        expect(order(found).map((i) => wanted[i])).toEqual(order(wanted).map((i) => wanted[i]));
      }),
    );
  });
});
