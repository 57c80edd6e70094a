import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Pin } from "lucide-react";
import { Fragment, useState } from "react";

import type { Schemas } from "../../api/client";
import { clock, stamp } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { EndDialog } from "./EndDialog";
import { Ended } from "./Ended";
import { keyOf, stretchFill } from "../../charts/sessions";
import { StatementLink, TapeLink } from "../../shell/SessionLinks";
import { arranged, nowSentence } from "./model";
import { findQuery, nowQuery } from "./queries";
import type { SessionsSearch } from "./sessions.route";
import { AnswerState } from "../../ui/Answer";
import { SearchField } from "../../ui/SearchField";
import { DataTable, readSort, writeSort } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { Recordings } from "./Recordings";

interface Props {
  readonly server: number;
  readonly past: boolean;
  readonly search: SessionsSearch;
  readonly role: string;
  readonly onSearch: (change: Partial<SessionsSearch>) => void;
}

/** Everybody now, or everybody who was there in the window. */
export const SessionsPage = ({ server, past, search, role, onSearch }: Props) => {
  const [words, setWords] = useState(search.find ?? "");
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex items-baseline gap-4">
        <SearchField
          label="find sessions"
          placeholder={past ? "pid, program, user, statement, error …" : "pid, program, user, statement …"}
          value={search.find ?? ""}
          onChange={(find) => onSearch({ find })}
          onType={setWords}
          className="w-80"
        />
      </div>
      {past ? (
        <Past server={server} search={search} onSearch={onSearch} />
      ) : (
        <Now server={server} search={search} words={words} canEnd={role !== "viewer"} onSearch={onSearch} />
      )}
      <div className="mt-6 grid grid-cols-2 gap-8">
        <Recordings server={server} canAct={role !== "viewer"} />
        <Ended server={server} />
      </div>
    </div>
  );
};

type Live = Schemas["LiveSessionOut"];
type Watched = Schemas["WatchedSessionOut"];

interface NowProps {
  readonly server: number;
  readonly search: SessionsSearch;
  readonly words: string;
  readonly canEnd: boolean;
  readonly onSearch: (change: Partial<SessionsSearch>) => void;
}

const Now = ({ server, search, words, canEnd, onSearch }: NowProps) => {
  const now = useQuery(nowQuery(server, search.pick));
  const [followed, setFollowed] = useState<string | null>(null);
  const [ending, setEnding] = useState<Live | null>(null);
  const found = now.data;
  if (!found) return <AnswerState of={now} what="sessions" />;
  const rows = arranged(found.sessions, words, followed);
  const end = (one: Live) => (canEnd && one.backend === "client backend" ? () => setEnding(one) : null);
  const follow = (one: Live) => setFollowed((old) => (old === keyOf(one) ? null : keyOf(one)));
  const gone = followed !== null && !found.sessions.some((one) => keyOf(one) === followed);
  return (
    <>
      <AnswerState of={now} what="sessions" />
      <div className="flex items-baseline justify-between gap-4 py-1">
        <h1 className="text-base font-semibold">
          {found.at === null ? "This server was not sampled yet." : nowSentence(found.sessions)}
        </h1>
        <span className="text-muted flex shrink-0 items-baseline gap-3 text-sm">
          {found.at === null ? null : `${found.stale ? "stale: " : ""}as of ${stamp(found.at)}`}
        </span>
      </div>
      {gone ? <p className="text-danger text-sm">The session you follow is idle or gone; its tape stays.</p> : null}
      <DataTable
        id="sessions-now"
        label="Sessions now"
        columns={liveColumns({ server, followed, follow, end })}
        rows={rows}
        rowKey={keyOf}
        sort={readSort(search.order, "blocks")}
        onSort={(sort) => onSearch({ order: writeSort(sort) })}
        top={(one) => keyOf(one) === followed}
        mark={(one) => (keyOf(one) === followed ? "bg-raised" : undefined)}
      />
      {rows.length === 0 ? (
        <p className="text-muted py-2">
          {words
            ? "No session of now matches; look in the window instead."
            : "Nobody is active or holds a transaction."}
        </p>
      ) : null}
      <p className="text-muted mt-1 text-sm">
        Sessions that idle without a transaction hold nothing and are not listed.
      </p>
      {ending ? (
        <EndDialog
          key={keyOf(ending)}
          server={server}
          session={ending}
          now={found.sessions.find((one) => keyOf(one) === keyOf(ending))}
          onClose={() => setEnding(null)}
        />
      ) : null}
    </>
  );
};

interface Acts {
  readonly server: number;
  readonly followed: string | null;
  readonly follow: (one: Live) => void;
  readonly end: (one: Live) => (() => void) | null; // null: not from here, or not by this user
}

const age = (ms: number | null): string => (ms === null ? "–" : duration(ms));

const liveColumns = ({ server, followed, follow, end }: Acts): Column<Live>[] => [
  {
    id: "follow",
    heading: "follow",
    fixed: true,
    value: () => null,
    show: (one) => (
      <button
        type="button"
        aria-pressed={keyOf(one) === followed}
        aria-label={`follow pid ${one.pid}`}
        title={keyOf(one) === followed ? "stop following" : "keep on top while the list moves"}
        className={`inline-grid size-6 place-items-center ${keyOf(one) === followed ? "text-accent" : "text-muted hover:text-accent"}`}
        onClick={() => follow(one)}
      >
        <Pin size={12} aria-hidden="true" />
      </button>
    ),
  },
  {
    id: "pid",
    heading: "pid",
    align: "right",
    value: (one) => one.pid,
    show: (one) => <TapeLink server={server} one={one} />,
  },
  { id: "program", heading: "program", value: (one) => one.program, show: (one) => <Who one={one} /> },
  {
    id: "doing",
    heading: "doing",
    value: (one) => one.wait_label,
    show: (one) => (
      <>
        <Swatch one={one} /> {one.wait_label}
      </>
    ),
  },
  {
    id: "transaction",
    heading: "transaction open",
    align: "right",
    value: (one) => one.transaction_ms,
    show: (one) => age(one.transaction_ms),
  },
  {
    id: "statement",
    heading: "statement runs",
    align: "right",
    value: (one) => (one.active ? one.statement_ms : null),
    show: (one) => age(one.active ? one.statement_ms : null),
  },
  {
    id: "blocked_by",
    heading: "blocked by",
    align: "right",
    value: (one) => one.blocked_by.map(holder).join(", "),
    say: (one) => one.waits_for?.object,
    show: (one) => <Blockers server={server} one={one} />,
  },
  {
    id: "blocks",
    heading: "blocking",
    title: "sessions blocked by it, at any depth",
    align: "right",
    value: (one) => one.blocks,
    show: (one) => (one.blocks ? <b>{one.blocks}</b> : ""),
  },
  { id: "database", heading: "database", optional: true, value: (one) => one.database },
  { id: "client", heading: "client", optional: true, value: (one) => one.client },
  {
    id: "text",
    heading: "statement",
    wide: true,
    value: (one) => one.statement,
    say: (one) => one.statement,
    show: (one) => <StatementText server={server} one={one} />,
  },
  {
    id: "end",
    heading: "end it",
    fixed: true,
    value: () => null,
    show: (one) => {
      const act = end(one);
      return act ? (
        <button
          type="button"
          className="text-accent min-h-6 whitespace-nowrap hover:underline"
          aria-label={`end pid ${one.pid} …`}
          onClick={act}
        >
          end …
        </button>
      ) : null;
    },
  },
];

const holder = (pid: number): string => (pid === -1 ? "prepared" : String(pid));

/** Who stands in its way, each as the way to its tape. */
const Blockers = ({ server, one }: { readonly server: number; readonly one: Live }) =>
  one.blocked_by.map((pid, i) => (
    <Fragment key={pid}>
      {i ? ", " : ""}
      {pid > 0 ? (
        <Link
          to="/servers/$server/sessions/$pid"
          params={{ server: String(server), pid: String(pid) }}
          className="hover:text-accent underline decoration-dotted"
          title={one.waits_for?.object}
        >
          {pid}
        </Link>
      ) : (
        holder(pid)
      )}
    </Fragment>
  ));

const Who = ({ one }: { readonly one: Watched }) => (
  <>
    {one.program} <span className="text-muted text-sm">{one.user}</span>
  </>
);

const StatementText = ({ server, one }: { readonly server: number; readonly one: Watched }) => (
  <span className="font-mono text-xs">
    <StatementLink server={server} one={one} />
  </span>
);

const Swatch = ({ one }: { readonly one: Schemas["WatchedSessionOut"] }) => (
  <svg width="8" height="8" aria-hidden="true" className="inline-block">
    <rect width="8" height="8" fill={stretchFill(one)} stroke={one.active ? "none" : "var(--strong)"} />
  </svg>
);

const Past = ({ server, search, onSearch }: Omit<NowProps, "words" | "canEnd">) => {
  const errors = search.failed === "only";
  const found = useQuery(findQuery(server, windowOf(search), search.find ?? "", errors, search.pick ?? []));
  const data = found.data;
  if (!data) return <AnswerState of={found} what="the sessions of this window" />;
  return (
    <>
      <AnswerState of={found} what="the sessions of this window" />
      <div className="flex items-baseline justify-between gap-4 py-1">
        <h1 className="text-base font-semibold">
          {data.total === 0
            ? "No session of this window matches."
            : `${count(data.total)} ${data.total === 1 ? "session" : "sessions"} of this window${search.find ? " match" : ""}, those with errors and lock waits first.`}
        </h1>
        <label className="shrink-0 text-sm">
          <input
            type="checkbox"
            checked={errors}
            onChange={(event) => onSearch({ failed: event.target.checked ? "only" : "" })}
          />{" "}
          only with errors in the log
        </label>
      </div>
      <DataTable
        id="sessions-past"
        label="Sessions of the window"
        columns={pastColumns(server)}
        rows={data.sessions}
        rowKey={keyOf}
        sort={readSort(search.order, "errors")}
        onSort={(sort) => onSearch({ order: writeSort(sort) })}
      />
      {data.total > data.sessions.length ? (
        <p className="text-muted text-sm">
          and {count(data.total - data.sessions.length)} more; narrow the window or the words.
        </p>
      ) : null}
    </>
  );
};

const pastColumns = (server: number): Column<Schemas["SeenOut"]>[] => [
  {
    id: "pid",
    heading: "pid",
    align: "right",
    value: (one) => one.pid,
    show: (one) => <TapeLink server={server} one={one} />,
  },
  { id: "program", heading: "program", value: (one) => one.program, show: (one) => <Who one={one} /> },
  { id: "client", heading: "client", value: (one) => one.client },
  {
    id: "seen",
    heading: "seen",
    value: (one) => one.first,
    show: (one) => `${stamp(one.first)} – ${clock(one.last)}`,
  },
  { id: "seconds", heading: "seconds", align: "right", value: (one) => one.ticks, show: (one) => count(one.ticks) },
  {
    id: "locks",
    heading: "waited for locks",
    title: "seconds",
    align: "right",
    value: (one) => one.lock_ticks,
    show: (one) => (one.lock_ticks ? <b>{count(one.lock_ticks)}</b> : ""),
  },
  {
    id: "errors",
    heading: "errors",
    align: "right",
    value: (one) => one.errors,
    show: (one) => (one.errors ? <b>{count(one.errors)}</b> : ""),
  },
  { id: "mostly", heading: "mostly", value: (one) => one.main_wait },
  { id: "database", heading: "database", optional: true, value: (one) => one.database },
  {
    id: "text",
    heading: "last statement",
    wide: true,
    value: (one) => one.statement,
    say: (one) => one.statement,
    show: (one) => <StatementText server={server} one={one} />,
  },
];
