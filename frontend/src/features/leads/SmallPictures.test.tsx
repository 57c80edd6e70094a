import { describe, expect, it } from "vitest";

import { lanesOf, lineOf } from "./SmallPictures";

const SPAN = { from: 1000, to: 2000 };
const episode = (pid: number, start: number, end: number, most: number) => ({ pid, start, end, most, waiters: most });

describe("small lanes", () => {
  it("are one for each root, the thicker the more stood behind it, within the window", () => {
    const lanes = lanesOf([episode(7, 500, 1500, 8), episode(9, 1500, 2500, 4), episode(7, 1750, 1760, 8)], SPAN);
    expect(lanes.map(({ x, width }) => [x, width])).toEqual([
      [0, 60],
      [60, 60],
      [90, 1.2000000000000028],
    ]);
    expect(lanes[0]?.y).toBe(lanes[2]?.y);
    expect((lanes[0]?.height ?? 0) / (lanes[1]?.height ?? 1)).toBe(2);
  });

  it("leave out who is beyond the fourth", () => {
    const many = [1, 2, 3, 4, 5].map((pid) => episode(pid, 1000, 1100, 1));
    expect(lanesOf(many, SPAN)).toHaveLength(4);
    expect(lanesOf([], SPAN)).toEqual([]);
  });
});

describe("a small line", () => {
  it("breaks where nothing is known, and is none where nothing was", () => {
    expect(lineOf([null, null])).toBe("");
    expect(lineOf([])).toBe("");
    const line = lineOf([1, 2, null, 4]);
    expect(line.match(/M/g)).toHaveLength(2);
    expect(line.match(/L/g)).toHaveLength(1);
  });
});
