import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Pin } from "lucide-react";
import { Fragment, useState } from "react";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { duration } from "../../lib/units";
import { EndDialog } from "./EndDialog";
import { keyOf, stretchFill } from "../../charts/sessions";
import { arranged, nowSentence } from "./model";
import { nowQuery } from "./queries";
import type { SessionsSearch } from "./sessions.route";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { readSort, writeSort } from "../../ui/table/table";
import type { Column } from "../../ui/table/columns";
import { databaseColumn, pidColumn, programColumn, requestColumn, statementColumn } from "./columns";

type Live = Schemas["LiveSessionOut"];

interface NowProps {
  readonly server: number;
  readonly search: SessionsSearch;
  readonly words: string;
  readonly canEnd: boolean;
  readonly onSearch: (change: Partial<SessionsSearch>) => void;
}

/** Everybody at work or in a transaction, as of the newest sample. */
export const Now = ({ server, search, words, canEnd, onSearch }: NowProps) => {
  const now = useQuery(nowQuery(server, search.pick));
  const [followed, setFollowed] = useState<string | null>(null);
  const [ending, setEnding] = useState<Live | null>(null);
  const found = now.data;
  if (!found) return <AnswerState of={now} what="sessions" />;
  const rows = arranged(found.sessions, words, followed);
  const end = (one: Live) => (canEnd && one.backend === "client backend" ? () => setEnding(one) : null);
  const endOf = (pid: number) => {
    const blocker = found.sessions.find((one) => one.pid === pid);
    return blocker ? end(blocker) : null;
  };
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
        columns={liveColumns({ server, followed, follow, end, endOf })}
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
            ? "No current session matches; look in the window instead."
            : "No session is active or holds a transaction."}
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
  readonly endOf: (pid: number) => (() => void) | null;
}

const age = (ms: number | null): string => (ms === null ? "–" : duration(ms));

const liveColumns = ({ server, followed, follow, end, endOf }: Acts): Column<Live>[] => [
  followColumn(followed, follow),
  pidColumn(server),
  programColumn(),
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
    show: (one) => <Blockers server={server} one={one} endOf={endOf} />,
  },
  {
    id: "blocks",
    heading: "blocking",
    title: "sessions blocked by it, at any depth",
    align: "right",
    value: (one) => one.blocks,
    show: (one) => (one.blocks ? <b>{one.blocks}</b> : ""),
  },
  requestColumn(server),
  databaseColumn(),
  { id: "client", heading: "client", optional: true, value: (one) => one.client },
  statementColumn(server, "statement"),
  endColumn(end),
];

const followColumn = (followed: Acts["followed"], follow: Acts["follow"]): Column<Live> => ({
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
});

const endColumn = (end: Acts["end"]): Column<Live> => ({
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
});

const holder = (pid: number): string => (pid === -1 ? "prepared" : String(pid));

interface BlockersProps {
  readonly server: number;
  readonly one: Live;
  readonly endOf: (pid: number) => (() => void) | null;
}

/** Who blocks it, each as the way to its tape and, where the reader may, to its end. */
const Blockers = ({ server, one, endOf }: BlockersProps) =>
  one.blocked_by.map((pid, i) => {
    const end = endOf(pid);
    return (
      <Fragment key={pid}>
        {i ? ", " : ""}
        {pid > 0 ? (
          <Link
            to="/servers/$server/sessions/$pid"
            params={{ server: String(server), pid: String(pid) }}
            className="hover:text-accent inline-block min-w-6 underline decoration-dotted"
            title={one.waits_for?.object}
          >
            {pid}
          </Link>
        ) : (
          holder(pid)
        )}
        {end ? (
          <button
            type="button"
            className="text-accent ml-2 whitespace-nowrap hover:underline"
            aria-label={`end the blocker, pid ${pid} …`}
            onClick={end}
          >
            end …
          </button>
        ) : null}
      </Fragment>
    );
  });

const Swatch = ({ one }: { readonly one: Schemas["WatchedSessionOut"] }) => (
  <svg width="8" height="8" aria-hidden="true" className="inline-block">
    <rect width="8" height="8" fill={stretchFill(one)} stroke={one.active ? "none" : "var(--strong)"} />
  </svg>
);
