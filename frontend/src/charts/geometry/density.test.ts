import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { type DensityPlot, decades, durationY, regionOf, shade, timeX, xTime, yDuration } from "./density";

const plot: DensityPlot = { start: 0, end: 60_000, leastMs: 0.1, mostMs: 1000, left: 50, width: 650, height: 200 };

describe("time by duration", () => {
  it("goes there and back", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 60_000, noNaN: true }),
        fc.double({ min: 0.1, max: 1000, noNaN: true }),
        (at, ms) => {
          expect(xTime(plot, timeX(plot, at))).toBeCloseTo(at, 3);
          expect(yDuration(plot, durationY(plot, ms)) / ms).toBeCloseTo(1, 6);
        },
      ),
    );
  });

  it("labels whole decades inside the scale", () => {
    expect(decades(plot).map((ms) => Number(ms.toPrecision(3)))).toEqual([0.1, 1, 10, 100, 1000]);
  });

  it("is darker where more are, and blank where none is", () => {
    expect(shade(0, 100)).toBe(0);
    expect(shade(1, 100)).toBeGreaterThan(0.1);
    expect(shade(100, 100)).toBe(1);
  });

  it("takes a region from any two corners and a click for none", () => {
    const region = regionOf(plot, { x: 350, y: 100 }, { x: 50, y: 0 });
    expect(region).toMatchObject({ from: 0, to: 30_000 });
    expect(region?.mostMs).toBeGreaterThan(1000);
    expect(region?.leastMs).toBeCloseTo(10, 6);
    expect(regionOf(plot, { x: 100, y: 50 }, { x: 102, y: 120 })).toBeNull();
  });
});
