import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { day, readMoment, span, writeMoment } from "./time";

const NOW = new Date(2026, 10, 23, 14, 5, 9).getTime();

describe("moments", () => {
  it("reads a time of today, a full date, and refuses what is none", () => {
    expect(readMoment("09:20", NOW)).toBe(new Date(2026, 10, 23, 9, 20).getTime());
    expect(readMoment("2026-11-20 23:59:58", NOW)).toBe(new Date(2026, 10, 20, 23, 59, 58).getTime());
    for (const text of ["", "25:00", "9", "2026-02-31 10:00", "yesterday", "10:61"])
      expect(readMoment(text, NOW)).toBeNull();
  });

  it("reads back what it writes, to the second", () => {
    fc.assert(
      fc.property(fc.integer({ min: 946_684_800, max: 4_000_000_000 }), (s) => {
        expect(readMoment(writeMoment(s * 1000), NOW)).toBe(s * 1000);
      }),
    );
  });

  it("names days as people do", () => {
    expect(day(NOW, NOW)).toBe("today");
    expect(day(NOW - 86_400_000, NOW)).toBe("yesterday");
    expect(day(NOW - 5 * 86_400_000, NOW)).toBe("Wed 18 Nov");
    expect(span(NOW - 900_000, NOW, NOW)).toBe("13:50 – 14:05 today");
    expect(span(NOW - 90_000_000, NOW, NOW)).toBe("13:05 yesterday – 14:05 today");
  });
});
