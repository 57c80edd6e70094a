import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";

import type { Schemas } from "../../api/client";
import { LAYERS } from "../../lib/words/layers";
import { stamp } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { LayerSums } from "./LayerBar";
import { SeenSessions, TapeThen, UnderWay } from "./Sightings";
import { layerFill } from "./layers";
import { statementText } from "./columns";
import { type Row, type Span, rowsOf, treeOf } from "./model";
import { BesideRequest } from "./BesideRequest";
import { USUAL, requestQuery } from "./queries";
import type { RequestSearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly trace: string;
  readonly search: RequestSearch;
}

type Request = Schemas["RequestOut"];

/** One request: its time by layer, its statements, and every span of it. */
export const RequestPage = ({ server, trace, search }: Props) => {
  const found = useQuery(requestQuery(server, trace, search.top ?? ""));
  const missing = found.error !== null && "status" in found.error && found.error.status === 404;
  if (missing)
    return (
      <div className="pane px-6 pt-2 pb-2">
        <UnderWay server={server} trace={trace} why={found.error.message} again={found.refetch} />
      </div>
    );
  return (
    <div className="flex h-full min-h-0 flex-col px-6 pt-2 pb-2">
      <Answer of={found} what="this request" className="flex min-h-0 grow flex-col">
        {(data) => <Told server={server} request={data} search={search} />}
      </Answer>
    </div>
  );
};

const Told = ({
  server,
  request,
  search,
}: {
  readonly server: number;
  readonly request: Request;
  readonly search: RequestSearch;
}) => (
  <>
    <div className="flex items-baseline justify-between gap-4">
      <h1 className="text-base font-semibold">
        {request.endpoint} took {duration(request.duration_ms)}
        {request.error ? " and failed" : ""}. <span className="font-normal">{request.verdict}</span>
      </h1>
      <span className="text-muted shrink-0 text-sm">
        {stamp(request.at)} ·{" "}
        <Link
          to="/servers/$server/requests/$trace"
          params={{ server: String(server), trace: request.trace }}
          search={{ ...search, beside_trace: search.beside_trace ? "" : USUAL }}
          className="text-accent hover:underline"
        >
          {search.beside_trace ? "by itself" : "beside a usual one"}
        </Link>{" "}
        ·{" "}
        {request.endpoint_id === null ? (
          request.service
        ) : (
          <Link
            to="/servers/$server/endpoints/$endpoint"
            params={{ server: String(server), endpoint: String(request.endpoint_id) }}
            search={search}
            className="text-accent hover:underline"
          >
            all of this endpoint
          </Link>
        )}
      </span>
    </div>
    {search.beside_trace ? (
      <BesideRequest server={server} request={request} other={search.beside_trace} />
    ) : (
      <LayerSums layers={request.layers} />
    )}
    <Notes request={request} server={server} />
    <Spans server={server} request={request} />
  </>
);

/** What is to be known of it beside its spans. */
const Notes = ({ request, server }: { readonly request: Request; readonly server: number }) => (
  <div className="text-sm">
    {request.repeated.map((one) => (
      <p key={one.statement} className="my-1 flex min-w-0 items-baseline gap-2 border-l-2 pl-3">
        <b className="shrink-0 font-semibold">
          {count(one.count)} times, {duration(one.time_ms)}
          {one.code ? ` in ${one.code}` : ""}:
        </b>
        <span className="min-w-0">{statementText(server, { text: one.statement, query_id: one.query_id })}</span>
        {one.after ? <span className="text-muted min-w-0 truncate">after {one.after}</span> : null}
      </p>
    ))}
    <SeenSessions seen={request.seen.filter((one) => one.blocked)} />
    {request.rejected ? (
      <p className="text-muted">{count(request.rejected)} spans of its trace could not be read and are missing.</p>
    ) : null}
    {request.more ? <p className="text-muted">{count(request.more)} spans are beyond what is shown.</p> : null}
    {request.others.length ? (
      <p className="text-muted">
        Its trace has {count(request.others.length)} other {request.others.length === 1 ? "request" : "requests"}:{" "}
        {request.others.slice(0, 5).map((top, i) => (
          <Link
            key={top}
            to="/servers/$server/requests/$trace"
            params={{ server: String(server), trace: request.trace }}
            search={(old: object) => ({ ...old, top })}
            className="text-accent mr-2 underline"
          >
            {i + 1}
          </Link>
        ))}
      </p>
    ) : null}
  </div>
);

/** The spans as rows over the request's time; siblings alike are one row until it is opened. */
const Spans = ({ server, request }: { readonly server: number; readonly request: Request }) => {
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const [shown, setShown] = useState<string | null>(null);
  const tree = useMemo(() => treeOf(request.spans), [request.spans]);
  const rows = useMemo(() => rowsOf(request.spans, tree, turned), [request.spans, tree, turned]);
  const turn = (key: string) =>
    setTurned((old) => {
      const next = new Set(old);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  const columns = spanColumns(server, request, turn, (key) => setShown((old) => (old === key ? null : key)));
  return (
    <DataTable
      id="spans"
      label="spans of this request"
      columns={columns}
      rows={rows}
      rowKey={(row) => row.key}
      sort={{ by: "", descending: false }}
      manual
      rowPx={26}
      className="mt-2 min-h-0 grow"
      detail={(row) => (row.key === shown ? <Detail server={server} request={request} row={row} /> : null)}
    />
  );
};

const spanOf = (request: Request, row: Row): Span | undefined => request.spans[row.spans[0] ?? 0];

function spanColumns(
  server: number,
  request: Request,
  turn: (key: string) => void,
  show: (key: string) => void,
): Column<Row>[] {
  return [
    {
      id: "span",
      heading: "span",
      wide: true,
      value: (row) => spanOf(request, row)?.name ?? "",
      show: (row) => <Name request={request} row={row} turn={turn} show={show} />,
    },
    { id: "layer", heading: "layer", value: (row) => LAYERS[spanOf(request, row)?.layer ?? "own"] },
    { id: "took", heading: "took", align: "right", value: (row) => row.tookMs, show: (row) => duration(row.tookMs) },
    {
      id: "self",
      heading: "self",
      title: "without the spans below it",
      align: "right",
      value: (row) => row.selfMs,
      show: (row) => duration(row.selfMs),
    },
    {
      id: "when",
      heading: `from its begin to ${duration(request.duration_ms)}`,
      value: (row) => row.startMs,
      show: (row) => <Places request={request} row={row} />,
    },
    {
      id: "statement",
      heading: "statement or callee",
      wide: true,
      value: (row) => spanOf(request, row)?.statement || spanOf(request, row)?.to || "",
      show: (row) => {
        const span = spanOf(request, row);
        if (!span) return null;
        return span.statement
          ? statementText(server, { text: span.statement, query_id: span.query_id })
          : span.to === span.name
            ? ""
            : span.to;
      },
    },
  ];
}

interface NameProps {
  readonly request: Request;
  readonly row: Row;
  readonly turn: (key: string) => void;
  readonly show: (key: string) => void;
}

const INDENT_PX = 14;
const DEEPEST = 12; // further in, rows are not moved any more

const Name = ({ request, row, turn, show }: NameProps) => {
  const span = spanOf(request, row);
  if (!span) return null;
  return (
    <span className="flex items-baseline gap-1" style={{ paddingLeft: Math.min(row.depth, DEEPEST) * INDENT_PX }}>
      {row.foldable ? (
        <button
          type="button"
          aria-expanded={row.open}
          aria-label={`${row.open ? "close" : "open"} ${span.name}`}
          className="text-muted hover:text-accent w-4 shrink-0"
          onClick={() => turn(row.key)}
        >
          {row.open ? "▾" : "▸"}
        </button>
      ) : (
        <span className="w-4 shrink-0" />
      )}
      <button type="button" className="hover:text-accent truncate text-left" onClick={() => show(row.key)}>
        {row.spans.length > 1 ? <b className="font-semibold">{count(row.spans.length)} × </b> : null}
        {span.name}
        {span.service !== request.service ? <span className="text-muted text-sm"> {span.service}</span> : null}
        {span.failed ? <b className="text-danger"> failed</b> : null}
      </button>
    </span>
  );
};

const PLACE_PX = 260;
const MOST_MARKS = 200; // of a fold; more cannot be told apart at this width

/** Where in the request a row's spans lie. */
const Places = ({ request, row }: { readonly request: Request; readonly row: Row }) => {
  const span = spanOf(request, row);
  const scale = PLACE_PX / (request.duration_ms || 1);
  const step = Math.max(1, Math.ceil(row.spans.length / MOST_MARKS));
  const at = (ms: number): number => Math.min(PLACE_PX, Math.max(0, ms * scale));
  return (
    <svg width={PLACE_PX} height={12} aria-hidden="true" className="block">
      <line x2={PLACE_PX} y1={11.5} y2={11.5} stroke="var(--line)" />
      {row.spans
        .filter((_, i) => i % step === 0)
        .map((place) => {
          const one = request.spans[place];
          if (!one) return null;
          const from = at(one.start_ms);
          return (
            <rect
              key={place}
              x={from}
              y={1}
              width={Math.max(0.8, at(one.start_ms + one.duration_ms) - from)}
              height={9}
              fill={layerFill(span?.layer ?? "own")}
            />
          );
        })}
    </svg>
  );
};

/** All that a span tells. */
const Detail = ({
  server,
  request,
  row,
}: {
  readonly server: number;
  readonly request: Request;
  readonly row: Row;
}) => {
  const span = spanOf(request, row);
  if (!span) return null;
  const seen = request.seen.find((one) => row.spans.includes(one.place));
  const [from, to] = [Math.floor(request.at + row.startMs) - 2000, Math.ceil(request.at + row.endMs) + 2000];
  return (
    <div className="bg-raised px-6 py-2 text-sm">
      {span.statement ? (
        <p className="pb-1">
          <code className="font-mono text-xs whitespace-pre-wrap">{span.statement}</code>
        </p>
      ) : null}
      {span.query_id ? (
        <p className="flex gap-4 pb-1">
          <Link
            to="/servers/$server/statements/$query"
            params={{ server: String(server), query: span.query_id }}
            className="text-accent hover:underline"
          >
            the statement
          </Link>
          {seen ? (
            <TapeThen one={seen} />
          ) : (
            <Link
              to="/servers/$server/sessions/window"
              params={{ server: String(server) }}
              search={{ from, to, pick: [`statement:${span.query_id}`] } as never}
              className="text-accent hover:underline"
            >
              sessions that ran it then
            </Link>
          )}
          <Link
            to="/servers/$server/blocking"
            params={{ server: String(server) }}
            search={{ from: from - 30_000, to: to + 30_000 } as never}
            className="text-accent hover:underline"
          >
            who blocked whom then
          </Link>
        </p>
      ) : null}
      {span.exceptions.map(([kind, said], i) => (
        <p key={i}>
          <b className="font-semibold">{kind}</b> {said}
        </p>
      ))}
      <Attributes
        server={server}
        known={{ ...span.attributes, ...(row.depth === 0 ? request.resource : {}) }}
        narrows={row.depth === 0}
      />
    </div>
  );
};

interface AttributesProps {
  readonly server: number;
  readonly known: Readonly<Record<string, string | number | boolean>>;
  readonly narrows: boolean; // attributes of the topmost span are known of all requests that are kept
}

const Attributes = ({ server, known, narrows }: AttributesProps) => (
  <dl className="grid grid-cols-[max-content_1fr] gap-x-4 gap-y-1">
    {Object.entries(known).map(([name, value]) => (
      <div key={name} className="contents">
        <dt className="text-muted">{name}</dt>
        <dd>
          {narrows ? (
            <Link
              to="/servers/$server/endpoints"
              params={{ server: String(server) }}
              search={{ attribute: [`${name}=${String(value)}`] } as never}
              className="hover:text-accent underline"
              title="requests with this attribute"
            >
              {String(value)}
            </Link>
          ) : (
            String(value)
          )}
        </dd>
      </div>
    ))}
  </dl>
);
