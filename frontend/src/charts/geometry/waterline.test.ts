import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { isGap, stackValue, stacks } from "./stacks";
import { type LoadLike, bucketAt, peaks, waterline } from "./waterline";

const loads = fc
  .record({
    n: fc.integer({ min: 1, max: 40 }),
    seed: fc.array(fc.double({ min: 0, max: 50, noNaN: true }), { minLength: 3, maxLength: 3 }),
  })
  .map(({ n, seed }): LoadLike => {
    const starts = Array.from({ length: n }, (_, i) => i * 1000);
    const row = (v: number) => starts.map((_, i) => (i % 5 === 3 ? null : (v * (i % 4)) / 2));
    return {
      start: 0,
      end: n * 1000,
      bucket_ms: 1000,
      starts,
      groups: ["running", "lock", "data_io"].map((key, k) => ({ key, sessions: row(seed[k] ?? 0) })),
    };
  });
const SIZE = { width: 600, height: 200 };
const numbers = (path: string): number[] => [...path.matchAll(/-?\d+(?:\.\d+)?/g)].map((m) => Number(m[0]));

describe("the waterline", () => {
  it("keeps every mark inside its box, running above the line and waiting below", () => {
    fc.assert(
      fc.property(loads, fc.option(fc.integer({ min: 1, max: 64 })), (load, cores) => {
        const shape = waterline(load, SIZE, cores);
        for (const layer of [...shape.layers, { side: "up" as const, path: shape.over }]) {
          for (const box of layer.path.split("Z").filter(Boolean)) {
            const [x0, top, right, bottom] = numbers(box) as [number, number, number, number];
            expect(x0).toBeLessThanOrEqual(right);
            expect(Math.min(top, bottom)).toBeGreaterThanOrEqual(-0.01);
            expect(Math.max(top, bottom)).toBeLessThanOrEqual(SIZE.height + 0.01);
            if (layer.side === "up") expect(bottom).toBeLessThanOrEqual(shape.line + 0.01);
            else expect(top).toBeGreaterThanOrEqual(shape.line - 0.01);
          }
        }
      }),
    );
  });

  it("leaves gaps open", () => {
    const load: LoadLike = {
      start: 0,
      end: 3000,
      bucket_ms: 1000,
      starts: [0, 1000, 2000],
      groups: [{ key: "lock", sessions: [2, null, 2] }],
    };
    expect(isGap(stacks(load), 1)).toBe(true);
    expect(waterline(load, SIZE, null).layers[0]?.path.split("Z").filter(Boolean)).toHaveLength(2);
  });

  it("draws what exceeds the cores apart, and a ceiling only where cores matter", () => {
    const load: LoadLike = {
      start: 0,
      end: 1000,
      bucket_ms: 1000,
      starts: [0],
      groups: [{ key: "running", sessions: [5] }],
    };
    const shape = waterline(load, SIZE, 2);
    expect(shape.over).not.toBe("");
    expect(shape.ceiling).toBeCloseTo(shape.y(2));
    expect(waterline(load, SIZE, 64).ceiling).toBeNull();
    expect(peaks(stacks(load), 1)).toEqual({ running: 5, waiting: 0 });
  });

  it("keeps the fork between running and waiting whatever the layers are", () => {
    const load: LoadLike = {
      start: 0,
      end: 3000,
      bucket_ms: 1000,
      starts: [0, 1000, 2000],
      groups: [
        { key: "gate-scan", label: "gate-scan", sessions: [3, null, 1], running: [2, null, 0] },
        { key: "others", label: "others", sessions: [1, null, 0], running: [1, null, 0] },
      ],
    };
    const all = stacks(load);
    expect(all.map(({ fill }) => fill)).toEqual(["url(#group-0)", "url(#group-6)"]);
    expect([0, 1, 2].map((i) => all.map((stack) => stackValue(stack, i)))).toEqual([
      [3, 1],
      [null, null],
      [1, 0],
    ]);
    expect(peaks(all, 3)).toEqual({ running: 3, waiting: 1 });
    const shape = waterline(load, SIZE, 2);
    expect(shape.layers.map(({ key, side }) => `${key} ${side}`)).toEqual(["gate-scan up", "gate-scan down"]);
    expect(shape.over).not.toBe("");
  });

  it("finds the bucket of a pixel and snaps a brush to whole buckets", () => {
    const load: LoadLike = {
      start: 500,
      end: 10_500,
      bucket_ms: 1000,
      starts: Array.from({ length: 11 }, (_, i) => i * 1000),
      groups: [],
    };
    expect([0, 300, 600].map((px) => bucketAt(load, px, 600))).toEqual([0, 5, 10]);
  });
});
