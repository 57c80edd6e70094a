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
  return (
    <div className="flex h-full flex-col px-6 pt-2">
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
          <a
            className="text-accent hover:underline"
            href={`/api/v1/servers/${server}/samples/export?${query}&format=csv`}
          >
            CSV
          </a>
          <a
            className="text-accent hover:underline"
            href={`/api/v1/servers/${server}/samples/export?${query}&format=jsonl`}
          >
            JSON Lines
          </a>
        </div>
      </div>
      <AnswerState of={samples} what="samples" />
      <div
        className={`min-h-0 grow overflow-auto ${samples.isPlaceholderData ? "opacity-50" : ""}`}
        tabIndex={0}
        role="region"
        aria-label="samples"
      >
        {found && found.rows.length === 0 ? (
          <p className="text-muted py-4">
            Nobody was active or held a transaction in this window{trail.length ? ", inside this trail" : ""}.
          </p>
        ) : null}
        {found && found.rows.length > 0 ? (
          <table className="font-condensed w-full text-[13px]">
            <thead className="bg-ground sticky top-0 text-left">
              <tr className="border-strong border-b">
                {[
                  "at",
                  "pid",
                  "doing",
                  "wait",
                  "program",
                  "user",
                  "client",
                  "statement",
                  "for",
                  "in transaction for",
                  "read",
                  "wrote",
                  "held by",
                ].map((name) => (
                  <th key={name} className="py-1 pr-3 font-normal whitespace-nowrap">
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.rows.map((row) => (
                <SampleRow key={`${row.at}-${row.pid}`} row={row} />
              ))}
            </tbody>
          </table>
        ) : null}
      </div>
    </div>
  );
};

const SampleRow = ({ row }: { readonly row: Schemas["SampleOut"] }) => (
  <tr className="border-line border-b whitespace-nowrap">
    <td className="pr-3">{stamp(row.at)}</td>
    <td className="pr-3">{row.pid}</td>
    <td className="pr-3">
      {isKind(row.kind) ? (
        <span className="inline-flex items-center gap-1.5">
          <svg width="9" height="9" aria-hidden="true">
            <rect width="9" height="9" fill={kindFill(row.kind)} />
          </svg>
          {KIND_WORDS[row.kind]}
        </span>
      ) : (
        <span className="text-muted">idle in transaction</span>
      )}
    </td>
    <td className="pr-3">{row.wait_type ? `${row.wait_type}: ${row.wait_event}` : ""}</td>
    <td className="pr-3">{row.program}</td>
    <td className="pr-3">{row.user}</td>
    <td className="pr-3">{row.client}</td>
    <td className="max-w-72 truncate pr-3 font-mono text-[11px]" title={row.statement}>
      {row.statement}
    </td>
    <td className="pr-3">{row.statement_ms === null ? "" : duration(row.statement_ms)}</td>
    <td className="pr-3">{row.transaction_ms === null ? "" : duration(row.transaction_ms)}</td>
    <td className="pr-3">{row.bytes_read ? bytes(row.bytes_read) : ""}</td>
    <td className="pr-3">{row.bytes_written ? bytes(row.bytes_written) : ""}</td>
    <td>{row.blocker === null ? "" : `pid ${row.blocker}${row.held_by ? `, root ${row.held_by}` : ""}`}</td>
  </tr>
);
