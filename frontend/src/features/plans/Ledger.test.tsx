import { cleanup, render, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { Ledger } from "./Ledger";
import { type Plan, type Step, ledgerTable, withProposals } from "./model";

afterEach(cleanup);

const step = (change: Partial<Step>): Step => ({
  step: 0,
  depth: 0,
  feeds: null,
  kind: "Sort",
  target: "",
  label: "",
  relation: "",
  never: false,
  own_ms: 12,
  own_share: 0.12,
  whole_ms: 100,
  rows_planned: 10,
  rows: 9000,
  factor: 900,
  loops: 1,
  thrown_away: 0,
  cost: 9,
  hit: 100,
  read: 0,
  temp: 0,
  workers: "",
  conditions: [],
  ...change,
});

const plan = {
  rows: [
    step({
      step: 1,
      depth: 1,
      feeds: 1,
      kind: "Seq Scan",
      target: "booking b",
      own_ms: 88,
      thrown_away: 991_000,
      conditions: [{ name: "Filter", text: "(reference = 'R5'::text)" }],
    }),
    step({}),
    step({ step: 2, depth: 1, never: true, kind: "Index Scan", own_ms: null, rows: null, factor: null }),
  ],
  analysed: true,
  findings: [
    {
      code: "missing_index",
      step: 1,
      at_stake_ms: 88,
      share: 0.88,
      sentence: "reads 1 M rows of booking and throws 991 k away",
      next_step: "CREATE INDEX CONCURRENTLY ON booking (reference);",
    },
    {
      code: "jit_overhead",
      step: null,
      at_stake_ms: 30,
      share: 0.3,
      sentence: "compiled",
      next_step: "SET jit = off;",
    },
  ],
} as unknown as Plan;

describe("Ledger", () => {
  it("shows of an estimate only what an estimate tells", () => {
    render(<Ledger plan={{ ...plan, analysed: false }} />);
    expect(screen.getByText("rows expected")).toBeTruthy();
    expect(screen.queryByText("thrown away")).toBeNull();
    expect(screen.queryByText("900 times more")).toBeNull();
  });

  it("names the index that the statistics speak for in place of the first guess", () => {
    const ddl = "CREATE INDEX CONCURRENTLY ON booking (reference) INCLUDE (status);";
    const better = withProposals(plan, [{ step: 1, ddl }] as unknown as Schemas["ProposalOut"][]);
    expect(better.findings.map((one) => one.next_step)).toContain(ddl);
    expect(withProposals(plan, [])).toBe(plan);
  });

  it("puts the suspicion under the row it is about, with its next step", () => {
    render(<Ledger plan={plan} />);
    const rows = within(screen.getByRole("table", { name: "Ledger of the plan" })).getAllByRole("row");
    expect(rows[1]?.textContent).toContain("Seq Scan booking b");
    expect(rows[1]?.textContent).toContain("Filter: (reference = 'R5'::text)");
    expect(rows[2]?.textContent).toContain("missing index");
    expect(rows[2]?.textContent).toContain("CREATE INDEX CONCURRENTLY ON booking (reference);");
    expect(rows[3]?.textContent).toContain("Sort");
  });

  it("says what concerns the whole plan above it, and what never ran", () => {
    render(<Ledger plan={plan} />);
    expect(screen.getByText("compiling took long")).toBeTruthy();
    expect(screen.getByText("10 → never run")).toBeTruthy();
    expect(screen.getAllByText("900 times more")).toHaveLength(2);
  });

  it("shows what differs from another plan", () => {
    render(<Ledger plan={plan} marks={new Map([[0, "Sort became Index Scan"]])} />);
    expect(screen.getByText("Sort became Index Scan")).toBeTruthy();
  });

  it("leaves as a table with a step a row", () => {
    const table = ledgerTable(plan);
    expect(table.rows).toHaveLength(3);
    expect(table.rows[0]?.at(-1)).toBe("missing_index");
    expect(table.rows[0]).toHaveLength(table.columns.length);
  });
});
