import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { Bars } from "../../charts/Bars";
import { ExportMenu } from "../../charts/ExportMenu";
import { count } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { pivotQuery } from "./executionQueries";
import type { ExecutionsSearch } from "./statements.route";
import {
  addsUp,
  AGGREGATES,
  cellWords,
  PIVOT_BY,
  PIVOT_MEASURES,
  pivotTitle,
  type PivotSpec,
  readPivot,
  valueWords,
} from "./executions";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly server: number;
  readonly search: ExecutionsSearch;
  readonly onSearch: (change: Partial<ExecutionsSearch>) => void;
}

const NONE: string[] = [];
const options = <T extends string>(all: readonly (readonly [T, string])[]) =>
  all.map(([value, label]) => ({ value, label }));

/** Executions cut as one likes, as figures or as bars. */
export const PivotTable = ({ server, search, onSearch }: Props) => {
  const spec = readPivot(search);
  const pivot = useQuery(pivotQuery(server, windowOf(search), search.only ?? NONE, search.pick ?? NONE, spec));
  const found = pivot.data;
  const drawn = search.drawn === "chart";
  return (
    <section aria-label="Table of executions" className="mt-5">
      <h2 className="border-strong flex flex-wrap items-baseline gap-x-4 border-b pb-0.5">
        <span className="font-semibold">{drawn ? "As a chart" : "As a table"}</span>
        <span className="text-sm">
          rows{" "}
          <Choice
            label="rows"
            value={spec.rows}
            options={options(PIVOT_BY)}
            onChange={(value) => onSearch({ rows: value })}
          />
        </span>
        <span className="text-sm">
          columns{" "}
          <Choice
            label="columns"
            value={spec.columns}
            options={[{ value: "none" as const, label: "none" }, ...options(PIVOT_BY)]}
            onChange={(value) => onSearch({ cells: value })}
          />
        </span>
        <span className="text-sm">
          cells{" "}
          <Choice
            label="aggregate"
            value={spec.aggregate}
            options={options(AGGREGATES)}
            onChange={(value) => onSearch({ aggregate: value })}
          />
          {spec.aggregate === "count" ? null : (
            <>
              {" of "}
              <Choice
                label="measure"
                value={spec.measure}
                options={options(PIVOT_MEASURES)}
                onChange={(value) => onSearch({ measure: value })}
              />
            </>
          )}
        </span>
        <span className="ml-auto flex gap-3 text-sm">
          <Button onClick={() => onSearch({ drawn: drawn ? "" : "chart" })}>{drawn ? "as table" : "as chart"}</Button>
          {found ? <ExportMenu name="executions as a table" table={() => asTable(found, spec)} /> : null}
        </span>
      </h2>
      <AnswerState of={pivot} what="the table" />
      {found && drawn ? <Drawn found={found} spec={spec} /> : null}
      {found && !drawn ? <Cells found={found} spec={spec} server={server} search={search} /> : null}
    </section>
  );
};

const asTable = (found: Schemas["PivotOut"], spec: PivotSpec) => ({
  columns: [spec.rows, ...found.column_labels, "all"],
  rows: found.row_labels.map((label, r) => [label, ...(found.cells[r] ?? []), found.row_totals[r] ?? null]),
});

const MOST_BARS = 24; // beyond, a chart only repeats the table

const Drawn = ({ found, spec }: { readonly found: Schemas["PivotOut"]; readonly spec: PivotSpec }) => {
  const left = found.row_labels.length - MOST_BARS + found.more_rows;
  return (
    <div className="pt-2">
      <Bars
        title={pivotTitle(spec)}
        rows={found.row_labels.slice(0, MOST_BARS).map((label) => valueWords(spec.rows, label))}
        columns={found.column_labels.map((label) => valueWords(spec.columns, label))}
        cells={found.cells.slice(0, MOST_BARS)}
        stacked={addsUp(spec.aggregate)}
        ordered={spec.columns === "duration" || spec.columns === "hour"}
        say={(value) => cellWords(value, spec)}
        table={() => asTable(found, spec)}
      />
      {left > 0 ? <p className="text-muted py-1 text-sm">{left} more rows stand in the table.</p> : null}
    </div>
  );
};

interface CellsProps {
  readonly found: Schemas["PivotOut"];
  readonly spec: PivotSpec;
  readonly server: number;
  readonly search: ExecutionsSearch;
}

const Cells = ({ found, spec, server, search }: CellsProps) => {
  const most = Math.max(0, ...found.cells.flat().map((cell) => cell ?? 0));
  if (found.rows.length === 0) return <p className="text-muted py-2">No execution in this window has such a figure.</p>;
  return (
    <>
      <div className="overflow-x-auto">
        <table className="font-condensed w-full">
          <thead>
            <tr className="text-muted text-right">
              <th className="text-left font-normal">{spec.rows}</th>
              {found.column_labels.map((label) => (
                <th key={label} className="max-w-32 truncate pl-3 font-normal" title={label}>
                  {valueWords(spec.columns, label)}
                </th>
              ))}
              {spec.columns === "none" ? null : <th className="pl-3 font-normal">all</th>}
            </tr>
          </thead>
          <tbody>
            {found.row_labels.map((label, r) => (
              <tr key={found.rows[r]} className="border-line border-b text-right">
                <th className="max-w-0 w-1/3 truncate text-left font-normal" title={label}>
                  {spec.rows === "statement" ? (
                    <Link
                      to="/servers/$server/statements/$query"
                      params={{ server: String(server), query: found.rows[r] ?? "" }}
                      search={search}
                      className="hover:text-accent font-mono text-xs leading-6 inline-block max-w-full truncate align-middle"
                    >
                      {label}
                    </Link>
                  ) : (
                    valueWords(spec.rows, label)
                  )}
                </th>
                {(found.cells[r] ?? []).map((cell, c) => (
                  <td
                    key={c}
                    className="relative pl-3 whitespace-nowrap"
                    title={`from ${count(found.counts[r]?.[c] ?? 0)} captured executions`}
                  >
                    {cell ? (
                      <span
                        aria-hidden="true"
                        className="absolute inset-y-0.5 right-0 opacity-20"
                        style={{ width: `${(cell / most) * 90}%`, background: "var(--running)" }}
                      />
                    ) : null}
                    <span className="relative">
                      {cell === null && (found.counts[r]?.[c] ?? 0) > 0 ? "too few" : cellWords(cell, spec)}
                    </span>
                  </td>
                ))}
                {spec.columns === "none" ? null : (
                  <td className="pl-3 font-semibold whitespace-nowrap">
                    {cellWords(found.row_totals[r] ?? null, spec)}
                  </td>
                )}
              </tr>
            ))}
            <tr className="text-right font-semibold">
              <th className="text-left">all</th>
              {found.column_totals.map((cell, c) => (
                <td key={c} className="pl-3 whitespace-nowrap">
                  {cellWords(cell, spec)}
                </td>
              ))}
              {spec.columns === "none" ? null : <td className="pl-3">{cellWords(found.total, spec)}</td>}
            </tr>
          </tbody>
        </table>
      </div>
      <p className="text-muted py-1 text-sm">
        From {count(found.captured)} captured executions
        {found.known > found.captured ? `, the newest of ${count(found.known)}` : ""}; how many and sums are estimates
        where only a share of them is logged.{found.more_rows ? ` ${found.more_rows} more rows.` : ""}
      </p>
    </>
  );
};
