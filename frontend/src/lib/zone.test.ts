// @vitest-environment jsdom
import fc from "fast-check";
import { afterEach, describe, expect, it } from "vitest";

import { clock, day, localMinute, readMoment, stamp, writeMoment, zone } from "./time";
import { chooseZone, fromWall, learnServerZone, shownZone, wall } from "./zone";

const LISBON = "Europe/Lisbon";
const KATHMANDU = "Asia/Kathmandu";

afterEach(() => {
  chooseZone("browser");
  learnServerZone(undefined);
});

const by = (name: string): void => {
  chooseZone("server");
  learnServerZone(name);
};

describe("the clock that times are told by", () => {
  it("is the one that was chosen, and the browser's where the server tells none", () => {
    const at = Date.UTC(2026, 6, 1, 12, 0);
    by(KATHMANDU);
    expect(clock(at)).toBe("17:45:00");
    expect(zone(at)).toBe("Asia/Kathmandu, UTC+5:45");
    chooseZone("utc");
    expect(clock(at)).toBe("12:00:00");
    expect(zone(at)).toBe("UTC");
    chooseZone("server");
    learnServerZone(undefined);
    expect(shownZone()).toBeUndefined();
  });

  it("names days by that clock", () => {
    const now = Date.UTC(2026, 10, 23, 20, 0);
    by(KATHMANDU); // 01:45 of the 24th
    expect(day(Date.UTC(2026, 10, 23, 18, 0), now)).toBe("yesterday");
    expect(stamp(Date.UTC(2026, 10, 23, 18, 20), false, now)).toBe("00:05");
  });

  it("reads back what it writes, in summer and in winter", () => {
    by(LISBON);
    fc.assert(
      fc.property(fc.integer({ min: 1_700_000_000, max: 1_900_000_000 }), (s) => {
        const at = s * 1000;
        if (fromWall(wall(at).getTime()) !== at) return; // the first of two moments of the hour that comes twice
        expect(readMoment(writeMoment(at), at)).toBe(at);
        expect(readMoment(localMinute(at), at)).toBe(at - (at % 60_000));
      }),
    );
  });
});
