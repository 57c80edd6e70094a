import { describe, expect, it } from "vitest";

import { aligned } from "./aligned";
import type { Plan, Step } from "./model";

const step = (at: number, kind: string, depth: number): Step =>
  ({ step: at, kind, target: "", depth, feeds: null, conditions: [] }) as unknown as Step;

const plan = (...rows: Step[]): Plan => ({ rows }) as unknown as Plan;

describe("two plans as one list", () => {
  const before = plan(step(2, "Seq Scan", 2), step(1, "Sort", 1), step(0, "Limit", 0));
  const after = plan(step(2, "Index Scan", 2), step(1, "Memoize", 1), step(0, "Limit", 0));

  it("puts in one row what does the same work, in the order in which rows flow", () => {
    const rows = aligned({
      before,
      after,
      pairs: [
        { before: 0, after: 0, words: "" },
        { before: 1, after: null, words: "only in the first" },
        { before: 2, after: 2, words: "another way" },
        { before: null, after: 1, words: "only in the second" },
      ],
    });
    expect(rows.map((row) => [row.before?.kind ?? null, row.after?.kind ?? null])).toEqual([
      ["Seq Scan", "Index Scan"],
      ["Sort", null],
      [null, "Memoize"],
      ["Limit", "Limit"],
    ]);
    expect(rows.map((row) => row.place)).toEqual([1, 2, 3, 4]);
    expect(rows[0]?.words).toBe("another way");
  });

  it("keeps a step that nothing stands behind", () => {
    const rows = aligned({
      before: plan(step(0, "Result", 0)),
      after: plan(step(0, "Limit", 0)),
      pairs: [
        { before: 0, after: null, words: "only in the first" },
        { before: null, after: 0, words: "only in the second" },
      ],
    });
    expect(rows.map((row) => (row.before ?? row.after)?.kind)).toEqual(["Result", "Limit"]);
  });
});
