import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { MEASURES, MEASURE_NAMES, isMeasure, statementSentence } from "./model";

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
      "31% of the load here, 2.00 sessions on average; mostly waiting: row and table locks; 12.3 k calls of 4.2 ms each.",
    );
  });

  it("tells not sampled from not seen", () => {
    expect(statementSentence(statement({ load: null, share: null }))).toBe("Nothing was sampled in this window.");
    expect(statementSentence(statement({ samples: 0 }))).toBe("Never seen active in this window.");
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
