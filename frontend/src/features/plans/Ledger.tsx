import type { Schemas } from "../../api/client";
import { bytes, count, duration, PAGE_BYTES, share } from "../../lib/units";
import { type Plan, type Step, factorWords, railLines, rowsWords, suspicionWords } from "./model";

interface Props {
  readonly plan: Plan;
  readonly marks?: ReadonlyMap<number, string>; // words under a row by its step, of a comparison
}

const COLUMN = 12; // pixels between two rails
const MEASURED = ["filtered out", "loops", "buffer hits", "read", "temp"];
const HEIGHT = 26; // of a row's first line, in the middle of which its mark stands

/** Steps in the order in which rows flow, with the suspicion under the row it is about. */
export const Ledger = ({ plan, marks }: Props) => {
  const deepest = Math.max(...plan.rows.map((row) => row.depth), 0);
  const width = (Math.min(deepest, 24) + 1) * COLUMN + 6;
  const general = plan.findings.filter((one) => one.step === null);
  return (
    <div>
      {general.map((one) => (
        <Suspicion key={one.code} finding={one} analysed={plan.analysed} />
      ))}
      <table className="font-condensed w-full" aria-label="Ledger of the plan">
        <thead>
          <tr className="border-strong text-muted border-b text-left text-sm">
            <th style={{ width }} aria-label="what feeds what" />
            <th className="font-normal">step, in the order in which rows flow</th>
            <th className="w-52 font-normal">{plan.analysed ? "own time" : "cost"}</th>
            <th className="text-right font-normal whitespace-nowrap">
              {plan.analysed ? "rows estimated → actual" : "rows estimated"}
            </th>
            {plan.analysed ? <th className="pl-2 font-normal whitespace-nowrap">off by</th> : null}
            {(plan.analysed ? MEASURED : []).map((title) => (
              <th key={title} className="pl-3 text-right font-normal whitespace-nowrap">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {plan.rows.map((row, at) => (
            <LedgerRow
              key={row.step}
              plan={plan}
              row={row}
              at={at}
              width={width}
              mark={marks?.get(row.step) ?? ""}
              findings={plan.findings.filter((one) => one.step === row.step)}
            />
          ))}
        </tbody>
      </table>
    </div>
  );
};

interface RowProps {
  readonly plan: Plan;
  readonly row: Step;
  readonly at: number;
  readonly width: number;
  readonly mark: string;
  readonly findings: readonly Schemas["FindingOut"][];
}

const LedgerRow = ({ plan, row, at, width, mark, findings }: RowProps) => {
  const lines = railLines(plan.rows, at);
  const x = (column: number): number => Math.min(column, 24) * COLUMN + COLUMN / 2;
  return (
    <>
      <tr className={`border-line border-t align-top ${row.never ? "opacity-60" : ""}`}>
        <td className="relative p-0">
          <svg width={width} className="absolute inset-y-0 left-0 h-full" aria-hidden="true">
            {lines.passing.map((column) => (
              <line key={column} x1={x(column)} x2={x(column)} y2="100%" stroke="var(--strong)" />
            ))}
            {lines.joins.map((column) => (
              <path
                key={`j${column}`}
                d={`M${x(column)} 0V${HEIGHT / 2}H${x(lines.own)}`}
                fill="none"
                stroke="var(--strong)"
              />
            ))}
            {row.feeds === null ? null : (
              <line x1={x(lines.own)} x2={x(lines.own)} y1={HEIGHT / 2} y2="100%" stroke="var(--strong)" />
            )}
            <circle cx={x(lines.own)} cy={HEIGHT / 2} r="3" fill="var(--ink)" />
          </svg>
        </td>
        <td className="py-1">
          <b className="font-semibold">{row.kind}</b> {row.target}
          {row.label ? <span className="text-muted"> · {row.label}</span> : null}
          {row.workers ? <span className="text-muted"> · {row.workers}</span> : null}
          {row.conditions.map((one) => (
            <div key={one.name} className="text-muted font-mono text-xs break-all">
              {one.name}: {one.text}
            </div>
          ))}
        </td>
        <td className="py-1">
          {row.own_ms === null ? (
            <span className="text-muted">
              {row.cost === null ? "" : `${plan.analysed ? "cost " : ""}${count(Math.round(row.cost))}`}
            </span>
          ) : (
            <span className="flex items-center gap-2">
              <svg width="90" height="10" aria-hidden="true">
                <rect width={90 * (row.own_share ?? 0)} height="10" fill="var(--running)" />
              </svg>
              {duration(row.own_ms)}
              <span className="text-muted">{row.own_share === null ? "" : share(row.own_share)}</span>
            </span>
          )}
        </td>
        <td className="py-1 text-right">{rowsWords(row)}</td>
        {plan.analysed ? <Measured row={row} /> : null}
      </tr>
      {mark || findings.length ? (
        <tr>
          <td className="relative p-0">
            <svg width={width} className="absolute inset-y-0 left-0 h-full" aria-hidden="true">
              {[...lines.passing, ...(row.feeds === null ? [] : [lines.own])].map((column) => (
                <line key={column} x1={x(column)} x2={x(column)} y2="100%" stroke="var(--strong)" />
              ))}
            </svg>
          </td>
          <td colSpan={plan.analysed ? 9 : 3} className="pb-1">
            {mark ? <div className="text-accent">{mark}</div> : null}
            {findings.map((one) => (
              <Suspicion key={one.code} finding={one} analysed={plan.analysed} />
            ))}
          </td>
        </tr>
      ) : null}
    </>
  );
};

/** What only a plan that was run can tell. */
const Measured = ({ row }: { readonly row: Step }) => (
  <>
    <td className={`py-1 pl-2 ${(row.factor ?? 1) >= 10 || (row.factor ?? 1) <= 0.1 ? "font-semibold" : "text-muted"}`}>
      {factorWords(row.factor)}
    </td>
    <td className="py-1 text-right">{row.thrown_away ? count(Math.round(row.thrown_away)) : ""}</td>
    <td className="py-1 text-right">{row.loops !== null && row.loops !== 1 ? count(row.loops) : ""}</td>
    <td className="py-1 text-right" title={withBelow(row.all_hit)}>
      {blocks(row.hit)}
    </td>
    <td className="py-1 text-right" title={withBelow(row.all_read)}>
      {blocks(row.read)}
      {row.read_ms ? <span className="text-muted block text-xs">{duration(row.read_ms)}</span> : null}
    </td>
    <td className="py-1 text-right" title={withBelow(row.all_temp)}>
      {blocks(row.temp)}
    </td>
  </>
);

const blocks = (value: number | null): string => (value === null || value === 0 ? "" : bytes(value * PAGE_BYTES));

const withBelow = (value: number | null): string | undefined =>
  value ? `${bytes(value * PAGE_BYTES)} with the steps below it` : undefined;

interface SuspicionProps {
  readonly finding: Schemas["FindingOut"];
  readonly analysed: boolean;
}

const Suspicion = ({ finding, analysed }: SuspicionProps) => (
  <div className={`border-l-2 pl-2 ${finding.code === "healthy" ? "border-line" : "border-danger"}`}>
    <b className={`font-semibold ${finding.code === "healthy" ? "" : "text-danger"}`}>
      {suspicionWords(finding.code, analysed)}
    </b>
    {finding.at_stake_ms === null ? "" : `, ${duration(finding.at_stake_ms)} at stake`}: {finding.sentence}
    {finding.next_step ? (
      <div>
        <span className="font-semibold">Next</span> <code className="font-mono text-xs">{finding.next_step}</code>
      </div>
    ) : null}
  </div>
);
