// Columns of the machine's tables.
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { figure } from "../../lib/figure";
import { bytes, sessions, share } from "../../lib/units";
import type { Column } from "../../ui/table/columns";

const RIGHT = { align: "right" } as const;

export const PROCESSES: Column<Schemas["ProcessOut"]>[] = [
  {
    ...{ id: "process", heading: "process", value: (one) => one.name },
    show: (one) => (
      <>
        {one.name} {one.pid === null ? "" : <span className="text-muted">{one.pid}</span>}
      </>
    ),
  },
  { id: "cpu", heading: "cores", ...RIGHT, value: (one) => one.cpu, show: (one) => one.cpu.toFixed(2) },
  { id: "memory", heading: "memory", ...RIGHT, value: (one) => one.memory, show: (one) => bytes(one.memory) },
];

export const NEIGHBOURS: Column<Schemas["DiskOut"]["servers"][number]>[] = [
  { id: "server", heading: "server", wide: true, value: (one) => one.name },
  {
    ...{ id: "share", heading: "share", value: (one) => one.share },
    show: (one) => (
      <span className="flex items-center gap-2">
        <svg width="90" height="10" aria-hidden="true">
          <rect width={90 * (one.share ?? 0)} height="10" fill="var(--data_io)" />
        </svg>
        {one.share === null ? "not read" : share(one.share)}
      </span>
    ),
  },
  { id: "reads", heading: "reads", ...RIGHT, value: (one) => one.reads, show: (one) => figure(one.reads, "per_s") },
  { id: "writes", heading: "writes", ...RIGHT, value: (one) => one.writes, show: (one) => figure(one.writes, "per_s") },
];

type Cores = Schemas["WhatIfOut"]["rows"][number] & { readonly now: boolean };

export const CORES: Column<Cores>[] = [
  { id: "cores", heading: "cores", value: (row) => row.cores, show: (row) => `${row.cores}${row.now ? " (now)" : ""}` },
  { id: "running", heading: "on a core", ...RIGHT, value: (row) => row.running, show: (row) => sessions(row.running) },
  {
    ...{ id: "queueing", heading: "queueing for one", ...RIGHT, value: (row: Cores) => row.queueing ?? Infinity },
    show: (row) => (row.queueing === null ? "grows without end" : sessions(row.queueing)),
  },
  {
    ...{ id: "overloaded", heading: "overloaded", ...RIGHT, value: (row: Cores) => row.overloaded },
    show: (row) => `${share(row.overloaded)} of the time`,
  },
];

type Table = Schemas["TablesOut"]["tables"][number];

/** Rates are per second. */
export const tableColumns = (server: number): Column<Table>[] => [
  {
    ...{ id: "table", heading: "table, index", value: (one: Table) => `${one.table} ${one.index}`.trim() },
    show: (one) => (
      <>
        {one.index ? <span className="text-muted">{one.table} · </span> : null}
        {one.index || one.table}
      </>
    ),
  },
  {
    id: "reads",
    heading: "blocks read",
    ...RIGHT,
    value: (one) => one.reads,
    show: (one) => figure(one.reads, "per_s"),
  },
  { id: "share", heading: "of all", ...RIGHT, value: (one) => one.share, show: (one) => share(one.share) },
  {
    ...{ id: "hits", heading: "buffer hits", ...RIGHT, value: (one: Table) => one.hit_share },
    show: (one) => (one.hit_share === null ? "–" : share(one.hit_share)),
  },
  {
    ...{ id: "rows_read", heading: "rows read", ...RIGHT, value: (one: Table) => one.rows_read },
    show: (one) => figure(one.rows_read, "per_s"),
  },
  {
    ...{ id: "rows_written", heading: "rows written", ...RIGHT, value: (one: Table) => one.rows_written },
    show: (one) => figure(one.rows_written, "per_s"),
  },
  { id: "size", heading: "size", ...RIGHT, value: (one) => one.size_bytes, show: (one) => bytes(one.size_bytes) },
  {
    ...{ id: "statements", heading: "statements that name it, by what they read", wide: true },
    value: (one) => one.statements.map((statement) => statement.label).join("; "),
    show: (one) => <Readers server={server} one={one} />,
  },
];

const Readers = ({ server, one }: { readonly server: number; readonly one: Table }) =>
  one.statements.map((statement) => (
    <Link
      key={statement.query_id}
      to="/servers/$server/statements/$query"
      params={{ server: String(server), query: statement.query_id }}
      title={statement.label}
      className="hover:text-accent block truncate font-mono text-xs leading-6"
    >
      {statement.reads === 0 && statement.reading > 0
        ? `under way, ${share(statement.reading)} of the time reading: `
        : `${figure(statement.reads, "per_s")} `}
      {statement.label}
    </Link>
  ));
