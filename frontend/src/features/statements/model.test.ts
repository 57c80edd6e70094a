import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import {
  againstUsual,
  conditionWords,
  dearerWords,
  MEASURES,
  MEASURE_NAMES,
  isMeasure,
  signsOf,
  statementSentence,
  times,
  turningPoint,
} from "./model";

const statement = (change: Partial<Schemas["StatementOut"]>): Schemas["StatementOut"] =>
  ({
    load: 2,
    share: 0.31,
    share_margin: 0.001,
    samples: 100,
    waits: [],
    totals: null,
    ...change,
  }) as Schemas["StatementOut"];

describe("a statement in one sentence", () => {
  it("says share, main wait and cost", () => {
    const waits = [
      { key: "running", label: "", sessions: [], running: null, total: 0.4, share: 0.2 },
      { key: "lock", label: "", sessions: [], running: null, total: 1.6, share: 0.8 },
    ];
    const totals = { calls: 12_345, mean_ms: 4.2 } as Schemas["FiguresOut"];
    expect(statementSentence(statement({ waits, totals }))).toBe(
      "31% of the load, 2.00 sessions on average; mostly waiting: row and table locks; 12.3 k calls of 4.2 ms each.",
    );
  });

  it("tells not sampled from not seen", () => {
    expect(statementSentence(statement({ load: null, share: null }))).toBe("Nothing was sampled in this window.");
    expect(statementSentence(statement({ samples: 0 }))).toBe("Never seen active in this window.");
  });

  it("does not make a share of a handful of samples", () => {
    const waits = [{ key: "running", label: "", sessions: [], running: null, total: 0.001, share: 1 }];
    expect(statementSentence(statement({ samples: 1, waits }))).toBe(
      "Hardly any of the load: seen active once in this window.",
    );
    expect(statementSentence(statement({ samples: 4, waits }))).toContain("seen active 4 times");
  });
});

describe("measures", () => {
  it("each has words, a unit, and no figure that is not one", () => {
    for (const name of MEASURE_NAMES) {
      expect(MEASURES[name].title).not.toBe("");
      expect(MEASURES[name].say(12_345)).toMatch(/\d/);
    }
    expect(isMeasure("calls")).toBe(true);
    expect(isMeasure("beauty")).toBe(false);
    expect(isMeasure(undefined)).toBe(false);
  });
});

describe("dearer than usual", () => {
  it("says how much, since when, and why when it is known", () => {
    const since = new Date().setHours(14, 5, 0, 0); // of today, so that no day is told
    expect(dearerWords(null)).toBe("");
    expect(dearerWords({ since, until: null, times: 4.2, switch: since })).toBe(
      "4.2 times its usual cost per call since 14:05:00, when its plan changed",
    );
    const over = dearerWords({ since, until: since + 60_000, times: 62.8, switch: null });
    expect(over).toBe("63 times its usual cost per call from 14:05:00 to 14:06:00");
  });
});

describe("conditions", () => {
  it("read as people say them, and names have no order", () => {
    expect(conditionWords("mean_ms >= 10")).toBe("time per call >= 10 ms");
    expect(conditionWords("user != report")).toBe("user is not report");
    expect(conditionWords("nonsense")).toBe("nonsense");
    expect(signsOf("table")).toEqual(["=", "!="]);
    expect(signsOf("calls")).toContain(">=");
    expect([times(4.23), times(589)]).toEqual(["4.2×", "589×"]);
  });
});

describe("againstUsual", () => {
  it("compares time a second, and keeps quiet where nothing is usual", () => {
    expect(againstUsual(6000, 60_000, 50)).toBe(2);
    expect(againstUsual(6000, 0, 50)).toBeNull();
    expect(againstUsual(6000, 60_000, undefined)).toBeNull();
    expect(againstUsual(6000, 60_000, 0)).toBeNull();
  });
});

describe("the plans to compare", () => {
  const switched = (at: number, before: number | null, after: number | null) => ({
    at,
    before: "",
    after: "",
    before_plan: before,
    after_plan: after,
  });
  const switches = [switched(10, 1, 2), switched(20, 2, 3)];

  it("are those around the switch that is blamed, else around the newest", () => {
    const dearer = { since: 10, until: null, times: 3, switch: 10 };
    expect(turningPoint({ dearer, switches })).toEqual({ before: 1, after: 2 });
    expect(turningPoint({ dearer: null, switches })).toEqual({ before: 2, after: 3 });
  });

  it("are none without a switch, or where a plan is not kept any more", () => {
    expect(turningPoint({ dearer: null, switches: [] })).toBeNull();
    expect(turningPoint({ dearer: null, switches: [switched(10, null, 2)] })).toBeNull();
  });
});
