import { describe, expect, it } from "vitest";

import { readRegion, writeRegion } from "../../charts/region";
import type { Schemas } from "../../api/client";
import { addsUp, cellWords, distributionSentence, pivotTitle, readPivot, runnable } from "./executions";

const found = (change: Partial<Schemas["DistributionOut"]>): Schemas["DistributionOut"] =>
  ({
    captured: 120,
    known: 120,
    executions: 120,
    p50_ms: 4,
    p95_ms: 40,
    p99_ms: null,
    max_ms: 900,
    ...change,
  }) as Schemas["DistributionOut"];

describe("a distribution in one sentence", () => {
  it("says one execution of one", () => {
    expect(distributionSentence(found({ captured: 1, known: 1, executions: 1 }))).toContain("1 execution captured;");
  });

  it("says how many stand for how many, and no quantile that is not known", () => {
    expect(distributionSentence(found({}))).toBe(
      "120 executions captured; half took below 4 ms, one in twenty above 40 ms; longest 900 ms.",
    );
    expect(distributionSentence(found({ executions: 12_000 }))).toContain("standing for about 12 k");
    expect(distributionSentence(found({ captured: 0 }))).toBe("No single execution is known in this window.");
  });
});

describe("a table of executions", () => {
  it("is read from the URL, nonsense left out", () => {
    expect(readPivot({ rows: "plan", cells: "none", measure: "beauty" })).toEqual({
      rows: "plan",
      columns: "none",
      measure: "took_ms",
      aggregate: "count",
    });
  });

  it("says cells in their unit", () => {
    const spec = readPivot({ aggregate: "sum" });
    expect(cellWords(1500, spec)).toBe("1.5 s");
    expect(cellWords(1500, { ...spec, measure: "temp_bytes" })).toBe("1.46 KiB");
    expect(cellWords(12.4, { ...spec, aggregate: "count" })).toBe("12");
    expect(cellWords(null, spec)).toBe("");
  });
});

describe("a statement to run elsewhere", () => {
  it("has its parameters in place, also where they hold what looks like one", () => {
    expect(runnable("SELECT $1, $2, $10", "$1 = 'it''s $2', $2 = NULL, $3 = '5'")).toBe("SELECT 'it''s $2', NULL, $10");
  });
});

describe("a table of executions as a chart", () => {
  it("is named by what it tells", () => {
    expect(pivotTitle(readPivot({}))).toBe("how many executions, by program and duration");
    expect(pivotTitle(readPivot({ aggregate: "p95", measure: "bind_ms", rows: "client", cells: "none" }))).toBe(
      "time to bind, 95% are below, by client host",
    );
  });

  it("stacks only what adds up", () => {
    expect((["sum", "count", "mean", "median", "p95", "max"] as const).map(addsUp)).toEqual([
      true,
      true,
      false,
      false,
      false,
      false,
    ]);
  });
});

describe("a region in the address", () => {
  const window = { start: 1000, end: 9000 };
  const region = { from: 2000, to: 3000, leastMs: 0.1, mostMs: 250.5 };

  it("reads back what it writes", () => {
    expect(readRegion(writeRegion(region), window)).toEqual(region);
    expect(writeRegion(null)).toBe("");
  });

  it("does not outlive its window, and nonsense is none", () => {
    expect(readRegion(writeRegion(region), { start: 2500, end: 9000 })).toBeNull();
    for (const text of [undefined, "", "1~2", "a~b~c~d", "3000~2000~1~2", "2000~3000~5~1"])
      expect(readRegion(text, window)).toBeNull();
  });
});
