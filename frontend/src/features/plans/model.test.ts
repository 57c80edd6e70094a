import { describe, expect, it } from "vitest";

import {
  type Plan,
  type Step,
  executedWords,
  factorWords,
  planSentence,
  railLines,
  rowsWords,
  suspicionWords,
} from "./model";

const step = (change: Partial<Step>): Step => ({ rows_planned: 10, rows: 12_345, never: false, ...change }) as Step;

describe("the ledger", () => {
  it("says rows estimated and rows that came", () => {
    expect(rowsWords(step({}))).toBe("10 → 12.3 k");
    expect(rowsWords(step({ never: true }))).toBe("10 → never run");
    expect(rowsWords(step({ rows: null }))).toBe("10");
    expect([factorWords(1234.5), factorWords(0.02), factorWords(1.4), factorWords(null)]).toEqual([
      "1235 times more",
      "50 times fewer",
      "",
      "",
    ]);
  });

  it("draws a line from each step to the one it feeds", () => {
    // two scans feed a join, the join feeds a sort
    const rows = [
      { depth: 2, feeds: 2 },
      { depth: 2, feeds: 2 },
      { depth: 1, feeds: 3 },
      { depth: 0, feeds: null },
    ];
    expect(railLines(rows, 0)).toEqual({ passing: [], own: 2, joins: [] });
    expect(railLines(rows, 1)).toEqual({ passing: [2], own: 2, joins: [] });
    expect(railLines(rows, 2)).toEqual({ passing: [], own: 1, joins: [2] });
    expect(railLines(rows, 3)).toEqual({ passing: [], own: 0, joins: [1] });
  });

  it("opens with what matters", () => {
    const plan = {
      total_ms: 1234,
      analysed: true,
      findings: [{ code: "missing_index", share: 0.91, at_stake_ms: 1120, sentence: "", next_step: "", step: 0 }],
    } as unknown as Plan;
    expect(planSentence(plan)).toBe("Took 1.23 s. Missing index, 1.12 s of it at stake (91%).");
    expect(planSentence({ ...plan, total_ms: null, analysed: false, findings: [] })).toContain("An estimate");
  });
});

describe("what executions tell beside a plan", () => {
  it("counts them, and says nothing where none is known", () => {
    expect(executedWords({ executed: { executions: 75, mean_ms: 196 } })).toBe(
      "75 captured executions with it took 196 ms each.",
    );
    expect(executedWords({ executed: { executions: 1, mean_ms: 2.5 } })).toBe(
      "The one captured execution with it took 2.5 ms.",
    );
    expect(executedWords({ executed: null })).toBe("");
  });
});

it("calls a plan healthy only where it was run", () => {
  expect(suspicionWords("healthy", true)).toBe("no problem found");
  expect(suspicionWords("healthy", false)).toBe("nothing to see yet");
  expect(suspicionWords("sort_spill", false)).toBe("sort on disk");
});
