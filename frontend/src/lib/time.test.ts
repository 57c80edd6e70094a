import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { day, daysBefore, learnTime, present, readMoment, span, stamp, writeMoment } from "./time";

const NOW = new Date(2026, 10, 23, 14, 5, 9).getTime();

describe("moments", () => {
  it("reads a time of today, a full date, and refuses what is none", () => {
    expect(readMoment("09:20", NOW)).toBe(new Date(2026, 10, 23, 9, 20).getTime());
    expect(readMoment("2026-11-20 23:59:58", NOW)).toBe(new Date(2026, 10, 20, 23, 59, 58).getTime());
    for (const text of [
      "",
      "25:00",
      "9",
      "2026-02-31 10:00",
      "yesterday",
      "10:61",
      "2026-13-05 10:00",
      "2026-00-05 10:00",
    ])
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

  it("tell the day where it is not today, and the year where it is another", () => {
    expect(stamp(NOW, true, NOW)).toBe("14:05:09");
    expect(stamp(new Date(2026, 10, 22, 9, 20).getTime(), false, NOW)).toBe("yesterday 09:20");
    expect(stamp(new Date(2026, 10, 9, 9, 20).getTime(), false, NOW)).toBe("Mon 9 Nov 09:20");
    expect(stamp(new Date(2025, 10, 9, 9, 20).getTime(), false, NOW)).toBe("Sun 9 Nov 2025 09:20");
  });

  it("keep the time of day on the way back, whatever a day's length", () => {
    for (let month = 0; month < 12; month += 1) {
      const at = new Date(2026, month, 29, 9, 20).getTime();
      const before = new Date(daysBefore(at, 7));
      expect([before.getHours(), before.getMinutes()]).toEqual([9, 20]);
    }
  });
});

describe("the present", () => {
  it("is Faena's where this machine's clock is wrong, and this machine's where they agree", () => {
    learnTime(Date.now() + 20 * 60_000);
    expect(present() - Date.now()).toBeGreaterThan(19 * 60_000);
    learnTime(Date.now() - 900);
    expect(Math.abs(present() - Date.now())).toBeLessThan(50);
    learnTime(Number.NaN);
    expect(Math.abs(present() - Date.now())).toBeLessThan(50);
  });
});
