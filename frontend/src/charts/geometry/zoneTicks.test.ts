// @vitest-environment jsdom
import { afterEach, describe, expect, it } from "vitest";

import { clock } from "../../lib/time";
import { chooseZone, learnServerZone } from "../../lib/zone";
import { timeTicks } from "./axis";

afterEach(() => {
  chooseZone("browser");
  learnServerZone(undefined);
});

describe("an axis across a change of the clock", () => {
  it("has its ticks on round times on both sides", () => {
    chooseZone("server");
    learnServerZone("Europe/Lisbon");
    const from = Date.UTC(2026, 9, 24, 12); // clocks are put back at 01:00 UTC of the 25th
    const ticks = timeTicks(from, from + 36 * 3_600_000, 1200, from, 90);
    expect(ticks.map((tick) => clock(tick.at)).every((told) => /^(00|03|06|09|12|15|18|21):00:00$/.test(told))).toBe(
      true,
    );
    const midnight = ticks.find((tick) => tick.at === Date.UTC(2026, 9, 26, 0));
    expect(midnight?.label).not.toBe("01:00");
  });
});
