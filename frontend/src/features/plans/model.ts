// The ledger's figures in words.
import type { Schemas } from "../../api/client";
import { SUSPICIONS } from "../../lib/words/suspicions";
import type { Table } from "../../ui/tableFile";
import { count, duration } from "../../lib/units";

export type Step = Schemas["StepOut"];
export type Plan = Schemas["PlanOut"];

/** Expected and actual rows of one loop with the factor between them: "10 → 12.3 k, 1230 times more". */
export function rowsWords(step: Step): string {
  const planned = step.rows_planned === null ? "?" : count(Math.round(step.rows_planned));
  if (step.never) return `${planned} → never run`;
  if (step.rows === null) return planned;
  return `${planned} → ${count(Math.round(step.rows))}`;
}

/** "1230 times more", "×40 fewer"; empty while the estimate was good enough. */
export function factorWords(factor: number | null): string {
  if (factor === null) return "";
  if (factor >= 2) return `${factor >= 10 ? factor.toFixed(0) : factor.toFixed(1)} times more`;
  if (factor <= 0.5) return `${factor <= 0.1 ? (1 / factor).toFixed(0) : (1 / factor).toFixed(1)} times fewer`;
  return "";
}

/** The ledger as a table, a step a row. */
export const ledgerTable = (plan: Plan): Table => ({
  columns: [
    "step",
    "kind",
    "target",
    "own_ms",
    "whole_ms",
    "rows_planned",
    "rows",
    "loops",
    "thrown_away",
    "read",
    "temp",
    "suspicions",
  ],
  rows: plan.rows.map((row) => [
    row.step,
    row.kind,
    row.target,
    row.own_ms,
    row.whole_ms,
    row.rows_planned,
    row.rows,
    row.loops,
    row.thrown_away,
    row.read,
    row.temp,
    plan.findings
      .filter((one) => one.step === row.step)
      .map((one) => one.code)
      .join(" "),
  ]),
});

export interface RailLines {
  readonly passing: readonly number[]; // columns of lines that go on downwards
  readonly own: number; // column where the row's own line begins
  readonly joins: readonly number[]; // columns of lines that end here
}

/** Which lines stand left of a row: each child's line runs down in its column until the row it feeds. */
export function railLines(rows: readonly Pick<Step, "depth" | "feeds">[], at: number): RailLines {
  const passing = new Set<number>();
  const joins = new Set<number>();
  rows.forEach((row, i) => {
    if (i >= at || row.feeds === null) return;
    if (row.feeds > at) passing.add(row.depth);
    if (row.feeds === at) joins.add(row.depth);
  });
  return {
    passing: [...passing].sort((a, b) => a - b),
    own: rows[at]?.depth ?? 0,
    joins: [...joins].sort((a, b) => a - b),
  };
}

/** How long it took, or that it was not run. */
export function timeWords(plan: Plan): string {
  if (plan.total_ms !== null) return `Took ${duration(plan.total_ms)}`;
  return plan.analysed ? "Run without timing" : "An estimate: it was not run";
}

/** "75 captured executions with it took 196 ms each"; empty where none is known. */
export function executedWords(plan: Pick<Plan, "executed">): string {
  if (!plan.executed) return "";
  const { executions, mean_ms: mean } = plan.executed;
  return executions === 1
    ? `The one captured execution with it took ${duration(mean)}.`
    : `${count(executions)} captured executions with it took ${duration(mean)} each.`;
}

/** What a finding is called; that an estimate shows nothing does not mean that nothing is wrong. */
export const suspicionWords = (code: string, analysed: boolean): string =>
  code === "healthy" && !analysed ? "nothing to see yet" : (SUSPICION_WORDS[code] ?? code);

/** One line above the ledger: what it is and how long it took. */
export function planSentence(plan: Plan): string {
  const worst = plan.findings[0];
  const time = timeWords(plan);
  if (!worst || worst.code === "healthy") return `${time}.`;
  const stake =
    worst.share === null || worst.at_stake_ms === null
      ? ""
      : `, ${duration(worst.at_stake_ms)} of it at stake (${(worst.share * 100).toFixed(0)}%)`;
  const many = plan.findings.length > 1 ? `${plan.findings.length} suspicions; first: ` : "";
  const name = SUSPICION_WORDS[worst.code] ?? worst.code;
  return `${time}. ${many || name.charAt(0).toUpperCase()}${many ? name : name.slice(1)}${stake}.`;
}

/** The plan with what the server's statistics add: the index that pays in place of the first guess, and no "healthy" beside it. */
export function withProposals(plan: Plan, proposals: readonly Schemas["ProposalOut"][]): Plan {
  if (proposals.length === 0) return plan;
  const better = new Map(proposals.map((one) => [one.step, one.ddl]));
  const findings = plan.findings.filter((one) => one.code !== "healthy");
  return {
    ...plan,
    findings: findings.map((one) =>
      one.code === "missing_index" && one.step !== null && better.has(one.step)
        ? { ...one, next_step: better.get(one.step) ?? one.next_step }
        : one,
    ),
  };
}

export const SUSPICION_WORDS: Readonly<Record<string, string>> = SUSPICIONS;
