import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { Ledger } from "./Ledger";
import type { Plan, Step } from "./model";

afterEach(cleanup);

const step = (change: Partial<Step>): Step => ({
  step: 0,
  depth: 0,
  feeds: null,
  kind: "Seq Scan",
  target: "booking",
  label: "",
  relation: "",
  never: false,
  own_ms: 120,
  own_share: 0.6,
  whole_ms: 120,
  rows_planned: 10,
  rows: 1000,
  factor: 100,
  loops: 1,
  thrown_away: 999_000,
  cost: 25_159,
  hit: 128,
  read: 0,
  temp: 0,
  read_ms: null,
  all_hit: 256,
  all_read: 64,
  all_temp: 0,
  workers: "",
  conditions: [{ name: "Filter", text: "(reference = 'x'::text)" }],
  ...change,
});

const plan = (change: Partial<Plan>): Plan => ({
  key: "k",
  server: null,
  query_id: null,
  title: "",
  form: "json",
  statement: "",
  analysed: true,
  planning_ms: null,
  execution_ms: null,
  total_ms: 200,
  jit_ms: null,
  settings: {},
  rows: [
    step({ step: 1, depth: 1, feeds: 1 }),
    step({
      step: 0,
      kind: "Sort",
      target: "",
      own_ms: 80,
      own_share: 0.4,
      conditions: [],
      thrown_away: 0,
      factor: 1,
      rows_planned: 1000,
      temp: 256,
      hit: 0,
    }),
  ],
  findings: [],
  executed: null,
  written: "",
  ...change,
});

const told = (): string[] => screen.getAllByRole("row").map((row) => row.textContent);

describe("the ledger", () => {
  it("has a row for each step in the order in which rows flow, with its own time, rows and blocks", () => {
    render(<Ledger plan={plan({})} />);
    const [, scan, sort] = told();
    expect(scan).toContain("Seq Scan booking");
    expect(scan).toContain("Filter: (reference = 'x'::text)");
    expect(scan).toMatch(/120 ms60%10 → 1000100 times more999 k1\.00 MiB$/);
    expect(sort).toMatch(/Sort.*80 ms40%1000 → 10002\.00 MiB$/);
  });

  it("puts a suspicion under the row it is about, with what is at stake and what to do next", () => {
    const finding = {
      code: "missing_index",
      step: 1,
      at_stake_ms: 119,
      share: 0.6,
      sentence: "reads 1 M rows of booking and filters 999 k out",
      next_step: "CREATE INDEX CONCURRENTLY ON booking (reference);",
    };
    render(<Ledger plan={plan({ findings: [finding] })} />);
    const [, scan, suspicion, sort] = told();
    expect(scan).toContain("Seq Scan");
    expect(suspicion).toBe(
      "missing index, 119 ms at stake: reads 1 M rows of booking and filters 999 k out" +
        "Next CREATE INDEX CONCURRENTLY ON booking (reference);",
    );
    expect(sort).toContain("Sort");
  });

  it("of an estimate tells costs, and no figures that nobody measured", () => {
    const rows = [step({ own_ms: null, own_share: null, rows: null, factor: null, thrown_away: 0, loops: null })];
    render(<Ledger plan={plan({ analysed: false, total_ms: null, rows })} />);
    expect(screen.getAllByRole("columnheader").map((one) => one.textContent)).toEqual([
      "",
      "step, in the order in which rows flow",
      "cost",
      "rows estimated",
    ]);
    expect(told()[1]).toMatch(/25\.2 k10$/);
  });

  it("says of a step that was planned and not reached that it was never run", () => {
    render(<Ledger plan={plan({ rows: [step({ never: true, own_ms: null, rows: null })] })} />);
    expect(told()[1]).toContain("10 → never run");
  });

  it("says of a comparison what differs under each row", () => {
    render(<Ledger plan={plan({})} marks={new Map([[0, "only in the first"]])} />);
    expect(told()[3]).toBe("only in the first");
  });
});
