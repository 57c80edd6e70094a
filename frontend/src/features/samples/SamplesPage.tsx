import { DataTable } from "../../ui/table/DataTable";
import { filesAt } from "../../ui/table/table";
import type { Column } from "../../ui/table/columns";
import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { windowQuery } from "../../api/window";
import { isKind, kindFill, KIND_WORDS } from "../../charts/kinds";
import { stamp, present } from "../../lib/time";
import { bytes, duration } from "../../lib/units";
import { follows, type Base, type WindowSpec, windowOf } from "../../lib/view";
import { Button } from "../../ui/Button";
import { AnswerState } from "../../ui/Answer";

const PAGE = 200;

const samplesQuery = (server: number, spec: WindowSpec, pick: readonly string[], offset: number) =>
  queryOptions({
    queryKey: ["samples", server, spec, pick, offset],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/samples", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), pick: [...pick], offset, limit: PAGE },
          },
          signal,
        }),
      ),
    placeholderData: (old) => old,
  });

interface Props {
  readonly server: number;
  readonly search: Base;
}

/** Every sighting of a session behind the figures, page by page. */
export const SamplesPage = ({ server, search }: Props) => {
  const [page, setPage] = useState({ offset: 0, at: present() });
  const asked = windowOf(search);
  // A window that follows now is held where it was when the page opened: pages of a moving list would overlap.
  const spec = follows(asked) ? { from: page.at - asked.last * 1000, to: page.at } : asked;
  const trail = search.pick ?? [];
  const samples = useQuery(samplesQuery(server, spec, trail, page.offset));
  const query = new URLSearchParams({ from: String(spec.from), to: String(spec.to) });
  trail.forEach((pick) => query.append("pick", pick));
  const found = samples.data;
  const whole = `/api/v1/servers/${server}/samples/export?${query}`;
  return (
    <div className="pane-column px-6 pt-2">
      <div className="mb-1 flex items-center justify-between">
        <h1 className="text-base font-semibold">
          Raw samples{trail.length ? ` inside the trail (${trail.join(" › ")})` : ""}
        </h1>
        <div className="flex items-center gap-3 text-sm">
          {follows(asked) ? <Button onClick={() => setPage({ offset: 0, at: present() })}>up to now</Button> : null}
          <Button
            disabled={page.offset === 0}
            onClick={() => setPage({ ...page, offset: Math.max(0, page.offset - PAGE) })}
          >
            earlier
          </Button>
          <span className="text-muted">
            {found?.rows.length ? `${found.offset + 1} to ${found.offset + found.rows.length}` : "none"}
          </span>
          <Button disabled={found?.next == null} onClick={() => setPage({ ...page, offset: found?.next ?? 0 })}>
            later
          </Button>
        </div>
      </div>
      <AnswerState of={samples} what="samples" />
      {found && found.rows.length === 0 ? (
        <p className="text-muted py-4">
          Nobody was active or held a transaction in this window{trail.length ? ", inside this trail" : ""}.
        </p>
      ) : null}
      {found && found.rows.length > 0 ? (
        <DataTable
          id="samples"
          label="Raw samples"
          columns={COLUMNS}
          rows={found.rows}
          rowKey={(row) => `${row.at}-${row.pid}`}
          sort={{ by: "at", descending: false }}
          files={filesAt(whole, "samples")}
          className={`min-h-0 grow text-[13px] ${samples.isPlaceholderData ? "opacity-50" : ""}`}
        />
      ) : null}
    </div>
  );
};

type Sample = Schemas["SampleOut"];

const age = (ms: number | null): string => (ms === null ? "" : duration(ms));
const moved = (n: number | null): string => (n ? bytes(n) : "");

const Doing = ({ row }: { readonly row: Sample }) =>
  isKind(row.kind) ? (
    <span className="inline-flex items-center gap-1.5">
      <svg width="9" height="9" aria-hidden="true">
        <rect width="9" height="9" fill={kindFill(row.kind)} />
      </svg>
      {KIND_WORDS[row.kind]}
    </span>
  ) : (
    <span className="text-muted">idle in transaction</span>
  );

const COLUMNS: Column<Sample>[] = [
  { id: "at", heading: "at", value: (row) => row.at, show: (row) => stamp(row.at) },
  { id: "pid", heading: "pid", align: "right", value: (row) => row.pid },
  { id: "doing", heading: "doing", value: (row) => row.kind, show: (row) => <Doing row={row} /> },
  { id: "wait", heading: "wait", value: (row) => (row.wait_type ? `${row.wait_type}: ${row.wait_event}` : "") },
  { id: "program", heading: "program", value: (row) => row.program },
  { id: "user", heading: "user", value: (row) => row.user },
  { id: "client", heading: "client", value: (row) => row.client },
  {
    id: "statement",
    heading: "statement",
    wide: true,
    value: (row) => row.statement,
    say: (row) => row.statement,
    show: (row) => <span className="font-mono text-[11px]">{row.statement}</span>,
  },
  {
    id: "for",
    heading: "statement runs",
    align: "right",
    value: (row) => row.statement_ms,
    show: (row) => age(row.statement_ms),
  },
  {
    id: "transaction",
    heading: "transaction open",
    align: "right",
    value: (row) => row.transaction_ms,
    show: (row) => age(row.transaction_ms),
  },
  { id: "read", heading: "read", align: "right", value: (row) => row.bytes_read, show: (row) => moved(row.bytes_read) },
  {
    id: "wrote",
    heading: "written",
    align: "right",
    value: (row) => row.bytes_written,
    show: (row) => moved(row.bytes_written),
  },
  {
    id: "blocked_by",
    heading: "blocked by",
    value: (row) => row.blocker,
    show: (row) => (row.blocker === null ? "" : `pid ${row.blocker}${row.held_by ? `, root ${row.held_by}` : ""}`),
  },
];
