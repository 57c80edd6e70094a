import { describe, expect, it } from "vitest";

import { railLength } from "./railLength";

const now = 1_700_000_000_000;
const day = (firstMinutesAgo: number) => {
  const starts = Array.from({ length: 144 }, (_, i) => now - (144 - i) * 600_000);
  return { now, starts, ticks: starts.map((s) => (s >= now - firstMinutesAgo * 60_000 ? 600 : 0)) };
};

describe("the rail's length when nobody chose", () => {
  it("is no longer than there is history", () => {
    expect(railLength(undefined)).toBe(86_400);
    expect(railLength(day(30))).toBe(3600);
    expect(railLength(day(180))).toBe(21_600);
    expect(railLength(day(1440))).toBe(86_400);
    expect(railLength(day(-1))).toBe(86_400);
  });
});
