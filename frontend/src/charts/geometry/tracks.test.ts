import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { trackPaths } from "./tracks";

const row = fc.array(fc.option(fc.double({ min: 0, max: 100, noNaN: true }), { nil: null }), {
  minLength: 5,
  maxLength: 5,
});
const starts = [0, 1, 2, 3, 4];
const boxes = (path: string) => path.split("Z").filter(Boolean);

describe("tracks", () => {
  it("stay in their row, one box a bucket that was read, stacked without overlap", () => {
    fc.assert(
      fc.property(row, row, (a, b) => {
        const track = {
          name: "t",
          say: String,
          parts: [
            { label: "a", fill: "", values: a },
            { label: "b", fill: "", values: b },
          ],
        };
        const paths = trackPaths(track, starts, 1, (at) => at * 10, 30);
        expect(boxes(paths[0] ?? "")).toHaveLength(a.filter((v) => v !== null && v > 0).length);
        for (const box of paths.flatMap(boxes)) {
          const [, top, , bottom] = [...box.matchAll(/-?\d+(?:\.\d+)?/g)].map((m) => Number(m[0]));
          expect(top).toBeGreaterThanOrEqual(-0.05);
          expect(bottom).toBeLessThanOrEqual(30.05);
          expect(top).toBeLessThanOrEqual(bottom ?? 0);
        }
      }),
    );
  });

  it("cut off at the given top", () => {
    const track = { name: "t", say: String, most: 1, parts: [{ label: "a", fill: "", values: [5, null, 0, 0, 0] }] };
    expect(trackPaths(track, starts, 1, (at) => at, 30)).toEqual(["M0.0 0.0H1.0V30.0H0.0Z"]);
  });
});
