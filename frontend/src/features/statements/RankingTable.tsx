import { Link } from "@tanstack/react-router";
import { Fragment } from "react";

import type { Schemas } from "../../api/client";
import type { Base } from "../../lib/view";
import { againstUsual, type Measure, MEASURES, times } from "./model";
import { Star } from "./Star";

const SHOWN: readonly Measure[] = [
  "total_ms",
  "sessions",
  "on_cpu",
  "change",
  "calls",
  "mean_ms",
  "stddev_ms",
  "rows",
  "blocks_hit",
  "blocks_read",
  "read_ms",
  "temp_written",
  "wal_bytes",
  "plan_ms",
  "errors",
];
const COUNTED_BY_THE_MACHINE: readonly Measure[] = ["disk_read_rate", "disk_write_rate"];

/** Columns that this ranking has: what only a collector on the server's machine counts is left out where none does. */
const columnsOf = (found: Schemas["RankingOut"]): readonly Measure[] =>
  found.rows.some((row) => row.disk_read_rate !== null)
    ? SHOWN.flatMap((name) => (name === "read_ms" ? [name, ...COUNTED_BY_THE_MACHINE] : [name]))
    : SHOWN;

const UNKNOWN: Partial<Record<Measure, string>> = {
  stddev_ms: "fewer than two calls",
  sessions: "nothing was sampled in this window",
  on_cpu: "nothing was sampled in this window",
  mean_ms: "no call of it ended well in this window",
  change: "it did not run in the window before, or that was not counted",
};

interface Props {
  readonly found: Schemas["RankingOut"];
  readonly usual: ReadonlyMap<string, number> | undefined; // ms a second, by statement
  readonly sort: Measure;
  readonly server: number;
  readonly search: Base;
  readonly onSort: (name: Measure) => void;
}

/** The ranking itself: a statement a row, its figures as columns. */
export const RankingTable = ({ found, usual, sort, server, search, onSort }: Props) => {
  const most = Math.max(0, ...found.rows.map((row) => row[sort] ?? 0));
  const columns = columnsOf(found);
  return (
    <table className="font-condensed w-full">
      <thead className="bg-ground sticky top-0">
        <tr className="border-strong border-b">
          <th className="w-5" aria-label="star" />
          <th className="py-1 text-left font-normal">statement</th>
          {columns.map((name) => (
            <Fragment key={name}>
              <th
                className="pl-3 text-right font-normal whitespace-nowrap"
                aria-sort={name === sort ? "descending" : "none"}
              >
                <button
                  type="button"
                  title={MEASURES[name].title}
                  onClick={() => onSort(name)}
                  className={`hover:text-accent ${name === sort ? "font-semibold" : ""}`}
                >
                  {MEASURES[name].label}
                </button>
              </th>
              {name === "change" ? (
                <th
                  className="pl-3 text-right font-normal whitespace-nowrap"
                  title="time a second, against this hour of other days"
                >
                  of usual
                </th>
              ) : null}
            </Fragment>
          ))}
        </tr>
      </thead>
      <tbody>
        {found.rows.map((row) => (
          <RankingRow
            key={row.query_id}
            row={row}
            columns={columns}
            usual={againstUsual(row.total_ms, found.covered_ms, usual?.get(row.query_id))}
            sort={sort}
            most={most}
            server={server}
            search={search}
          />
        ))}
      </tbody>
    </table>
  );
};

interface RowProps {
  readonly row: Schemas["FiguresOut"];
  readonly columns: readonly Measure[];
  readonly usual: number | null; // how many times
  readonly sort: Measure;
  readonly most: number;
  readonly server: number;
  readonly search: Base;
}

const RankingRow = ({ row, columns, usual, sort, most, server, search }: RowProps) => (
  <tr className="border-line hover:bg-raised border-b">
    <td>
      <Star server={server} query={row.query_id} starred={row.starred} />
    </td>
    <td className="max-w-0 w-2/5 min-w-56 py-1 pr-3">
      <Link
        to="/servers/$server/statements/$query"
        params={{ server: String(server), query: row.query_id }}
        search={search}
        className="hover:text-accent block truncate font-mono text-xs"
        title={row.tables ? `${row.label}\ntouches ${row.tables}` : row.label}
      >
        {row.label}
      </Link>
      <svg className="mt-0.5 block h-1 w-full" aria-hidden="true">
        <rect width={`${most ? ((row[sort] ?? 0) / most) * 100 : 0}%`} height="4" fill="var(--running)" />
      </svg>
    </td>
    {columns.map((name) => {
      const value = row[name];
      return (
        <Fragment key={name}>
          <td
            className={`pl-3 text-right whitespace-nowrap ${name === sort ? "font-semibold" : ""}`}
            title={value === null ? UNKNOWN[name] : String(value)}
          >
            {value === null ? "–" : value === 0 ? <span className="text-muted">0</span> : MEASURES[name].say(value)}
          </td>
          {name === "change" ? (
            <td
              className={`pl-3 text-right whitespace-nowrap ${(usual ?? 1) >= 2 ? "font-semibold" : ""}`}
              title={
                usual === null
                  ? "fewer than three earlier days alike are known"
                  : `${usual.toPrecision(3)} times its usual time`
              }
            >
              {usual === null ? "–" : times(usual)}
            </td>
          ) : null}
        </Fragment>
      );
    })}
  </tr>
);
