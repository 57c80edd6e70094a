import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { LABEL, cells, laneLayout, lanePicture, laneSums, partAt, ties } from "./lanes";

const scale = { from: 10_000, to: 20_000, width: 100, tickMs: 1000 };
const part = (first: number, last: number, blocker = 0) => ({ first, last, blocker });

describe("cells", () => {
  it("stand for the last tick as well, and are cut at the edges", () => {
    expect([...cells([part(12_000, 13_000), part(5_000, 10_500), part(19_500, 30_000)], scale)]).toEqual([
      { part: part(12_000, 13_000), x: 20, width: 20 },
      { part: part(5_000, 10_500), x: 0, width: 15 },
      { part: part(19_500, 30_000), x: 95, width: 5 },
    ]);
    expect([...cells([part(1_000, 2_000), part(25_000, 26_000)], scale)]).toEqual([]);
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
    expect([...ties(lanes, scale)]).toEqual([
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

const lane = (pid: number, root: boolean, ...parts: ReturnType<typeof part>[]) => ({
  ...{ key: `${pid}`, pid, label: "", note: "", root },
  parts: parts.map((one) => ({ ...one, fill: "var(--lock)", words: one.blocker ? "waits" : "runs", outlined: false })),
});

describe("lanePicture", () => {
  const lanes = [lane(7, true, part(10_000, 19_000)), lane(11, false, part(12_000, 13_000, 7))];

  it("puts each lane's cells into its own row, and a line between those who wait and their blocker", () => {
    const layout = laneLayout(lanes);
    expect(layout).toEqual({ tops: [0, 26], talls: [26, 20], height: 46 });
    const [root, waits, tie] = lanePicture(lanes, layout, scale);
    expect(root).toMatchObject({ x: LABEL, y: 3, width: 100, height: 19 });
    expect(waits).toMatchObject({ x: LABEL + 20, y: 29, width: 20, height: 13 });
    expect(tie).toMatchObject({ y: 22, height: 7, width: 0.75 });
    expect((tie?.y ?? 0) + (tie?.height ?? 0)).toBe(29); // from the lower edge of the root's cells to the waiting one's
  });

  it("leaves out what lies beside the window, and never draws outside of a lane", () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(40_000), fc.nat(5000), fc.nat(3)), { maxLength: 20 }), (made) => {
        const many = [0, 1, 2, 3].map((pid) =>
          lane(pid, pid === 0, ...made.map(([first, long, blocker]) => part(first, first + long, blocker))),
        );
        const layout = laneLayout(many);
        for (const cell of lanePicture(many, layout, scale)) {
          expect(cell.height).toBeGreaterThanOrEqual(0);
          expect(cell.y).toBeGreaterThanOrEqual(0);
          expect(cell.y + cell.height).toBeLessThanOrEqual(layout.height);
          expect(cell.x).toBeGreaterThanOrEqual(LABEL - 1);
          expect(cell.x + cell.width).toBeLessThanOrEqual(LABEL + scale.width + 1);
        }
      }),
    );
  });
});

describe("laneSums", () => {
  it("adds up what was done, most first, each tick once", () => {
    const { parts } = lane(7, false, part(0, 1000), part(2000, 9000, 5), part(10_000, 10_000));
    expect(laneSums(parts, 1000)).toEqual([
      ["waits", 8000],
      ["runs", 3000],
    ]);
  });
});
