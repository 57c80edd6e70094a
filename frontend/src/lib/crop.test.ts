import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { crop } from "./crop";

const starts = Array.from({ length: 20 }, (_, i) => i * 1000);
const series = {
  start: 500,
  end: 20_000,
  bucket_ms: 1000,
  starts,
  ticks: starts.map((_, i) => i),
  groups: [{ key: "lock", sessions: starts.map((s) => s / 1000) }],
};

describe("crop", () => {
  it("keeps exactly the buckets that touch the span, all rows alike", () => {
    fc.assert(
      fc.property(fc.integer({ min: 500, max: 19_998 }), fc.integer({ min: 1, max: 19_500 }), (from, length) => {
        const to = from + length;
        const part = crop(series, from, to);
        if (to > 20_000) {
          expect(part).toBeNull();
          return;
        }
        const expected = starts.filter((s) => s + 1000 > from && s < to);
        expect(part?.starts).toEqual(expected);
        expect(part?.ticks).toEqual(expected.map((s) => s / 1000));
        expect(part?.groups[0]?.sessions).toEqual(expected.map((s) => s / 1000));
      }),
    );
  });
});
