import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";

import type { Schemas } from "../../api/client";
import type { Base } from "../../lib/view";
import { DataTable } from "../../ui/table/DataTable";
import { type Sort } from "../../ui/table/table";
import type { Column } from "../../ui/table/columns";
import { againstUsual, isMeasure, type Measure, MEASURES, times } from "./model";
import { Star } from "./Star";

type Figures = Schemas["FiguresOut"];

const SHOWN: readonly Measure[] = ["total_ms", "sessions", "on_cpu", "change"];
const BESIDE: readonly Measure[] = ["calls", "mean_ms", "rows", "blocks_hit", "blocks_read", "errors"];
const COUNTED_BY_THE_MACHINE: readonly Measure[] = ["disk_read_rate", "disk_write_rate"];
const OPTIONAL: readonly Measure[] = ["stddev_ms", "read_ms", "temp_written", "wal_bytes", "plan_ms"];

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
  readonly ascending: boolean;
  readonly server: number;
  readonly search: Base;
  readonly onSort: (name: Measure, ascending: boolean) => void;
  readonly files: readonly { readonly label: string; readonly href: string }[];
}

const figure = (name: Measure, optional: boolean): Column<Figures> => ({
  id: name,
  heading: MEASURES[name].label,
  title: MEASURES[name].title,
  align: "right",
  optional,
  value: (row) => row[name],
  say: (row) => (row[name] === null ? UNKNOWN[name] : String(row[name])),
  show: (row) => said(name, row[name]),
});

function said(name: Measure, value: number | null): ReactNode {
  if (value === null) return "–";
  return value === 0 ? <span className="text-muted">0</span> : MEASURES[name].say(value);
}

function columnsOf({ found, usual, sort, server }: Props): Column<Figures>[] {
  const most = Math.max(0, ...found.rows.map((row) => row[sort] ?? 0));
  const against = (row: Figures) => againstUsual(row.total_ms, found.covered_ms, usual?.get(row.query_id));
  // What only a collector on the server's machine counts is left out where none does.
  const moved = found.rows.some((row) => row.disk_read_rate !== null) ? COUNTED_BY_THE_MACHINE : [];
  return [
    {
      id: "star",
      heading: "star",
      fixed: true,
      value: () => null,
      show: (row) => (
        <span className="relative z-[1]">
          <Star server={server} query={row.query_id} starred={row.starred} />
        </span>
      ),
    },
    {
      id: "statement",
      heading: "statement",
      wide: true,
      value: (row) => row.label,
      say: (row) => (row.tables ? `${row.label}\ntouches ${row.tables}` : row.label),
      show: (row) => (
        <>
          <span className="font-mono text-xs">{row.label}</span>
          <svg className="mt-0.5 block h-1 w-full" aria-hidden="true">
            <rect width={`${most ? ((row[sort] ?? 0) / most) * 100 : 0}%`} height="4" fill="var(--running)" />
          </svg>
        </>
      ),
    },
    ...SHOWN.map((name) => figure(name, false)),
    {
      id: "of_usual",
      heading: "of usual",
      title: "time a second, against this hour of other days",
      align: "right",
      value: against,
      say: (row) => {
        const usually = against(row);
        return usually === null
          ? "fewer than three earlier days alike are known"
          : `${usually.toPrecision(3)} times its usual time`;
      },
      show: (row) => {
        const usually = against(row);
        if (usually === null) return "–";
        return <span className={usually >= 2 ? "font-semibold" : ""}>{times(usually)}</span>;
      },
    },
    ...BESIDE.map((name) => figure(name, false)),
    ...moved.map((name) => figure(name, true)),
    ...OPTIONAL.map((name) => figure(name, true)),
  ];
}

/** The ranking itself: a statement a row, its figures as columns. Headings rank by what the server counts. */
export const RankingTable = (props: Props) => {
  const { found, sort, ascending, server, search, onSort, files } = props;
  const turn = ({ by, descending }: Sort) => {
    if (isMeasure(by)) onSort(by, !descending);
  };
  return (
    <DataTable
      id="ranking"
      label="Statements"
      columns={columnsOf(props)}
      rows={found.rows}
      rowKey={(row) => row.query_id}
      sort={{ by: sort, descending: !ascending }}
      onSort={turn}
      files={files}
      className="min-h-0 grow"
      link={(row, words, className) => (
        <Link
          to="/servers/$server/statements/$query"
          params={{ server: String(server), query: row.query_id }}
          search={search}
          className={className}
        >
          {words}
        </Link>
      )}
    />
  );
};
