import { useQuery } from "@tanstack/react-query";
import { Pin } from "lucide-react";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { clock, stamp } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { EndDialog } from "./EndDialog";
import { Ended } from "./Ended";
import { keyOf, stretchFill } from "../../charts/sessions";
import { StatementLink, TapeLink } from "../../shell/SessionLinks";
import { type Sort, SORTS, arranged, nowSentence } from "./model";
import { findQuery, nowQuery } from "./queries";
import type { SessionsSearch } from "./sessions.route";
import { AnswerState } from "../../ui/Answer";
import { SearchField } from "../../ui/SearchField";
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
    <div className="h-full overflow-y-auto px-6 pt-2 pb-6">
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

const isSort = (text: string | undefined): text is Sort => (SORTS as readonly string[]).includes(text ?? "");

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
  const [ending, setEnding] = useState<Schemas["LiveSessionOut"] | null>(null);
  const sort = isSort(search.order) ? search.order : "blocks";
  const found = now.data;
  if (!found) return <AnswerState of={now} what="sessions" />;
  const rows = arranged(found.sessions, sort, words, followed);
  const head = (label: string, by: Sort, right = false): React.ReactNode => (
    <th aria-sort={sort === by ? "descending" : "none"} className={`pr-3 font-normal ${right ? "text-right" : ""}`}>
      <button
        type="button"
        className={sort === by ? "text-ink font-semibold" : "hover:text-accent"}
        onClick={() => onSearch({ order: by })}
      >
        {label}
      </button>
    </th>
  );
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
          <ExportMenu
            name="sessions"
            table={() => ({
              columns: [
                "pid",
                "program",
                "user",
                "state",
                "wait",
                "transaction_ms",
                "statement_ms",
                "blocks",
                "statement",
              ],
              rows: rows.map((one) => [
                one.pid,
                one.program,
                one.user,
                one.state,
                one.wait,
                one.transaction_ms,
                one.statement_ms,
                one.blocks,
                one.statement,
              ]),
            })}
          />
        </span>
      </div>
      {gone ? <p className="text-danger text-sm">The session you follow is idle or gone; its tape stays.</p> : null}
      <table className="font-condensed w-full">
        <thead className="text-muted border-strong border-b text-left text-sm">
          <tr>
            <th aria-label="follow" className="w-6" />
            {head("pid", "pid", true)}
            {head("program", "program")}
            <th className="font-normal">doing</th>
            {head("transaction open", "transaction", true)}
            {head("statement runs", "statement", true)}
            <th className="pr-3 text-right font-normal whitespace-nowrap">blocked by</th>
            {head("blocking", "blocks", true)}
            <th className="font-normal">statement</th>
            <th aria-label="end it" />
          </tr>
        </thead>
        <tbody>
          {rows.map((one) => (
            <LiveRow
              key={keyOf(one)}
              one={one}
              server={server}
              followed={keyOf(one) === followed}
              onFollow={() => setFollowed((old) => (old === keyOf(one) ? null : keyOf(one)))}
              onEnd={canEnd && one.backend === "client backend" ? () => setEnding(one) : null}
            />
          ))}
        </tbody>
      </table>
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

interface RowProps {
  readonly one: Schemas["LiveSessionOut"];
  readonly server: number;
  readonly followed: boolean;
  readonly onFollow: () => void;
  readonly onEnd: (() => void) | null; // null: not from here, or not by this user
}

const LiveRow = ({ one, server, followed, onFollow, onEnd }: RowProps) => (
  <tr className={`border-line hover:bg-raised border-b ${followed ? "bg-raised" : ""}`}>
    <td>
      <button
        type="button"
        aria-pressed={followed}
        aria-label={`follow pid ${one.pid}`}
        title={followed ? "stop following" : "keep on top while the list moves"}
        className={followed ? "text-accent" : "text-muted hover:text-accent"}
        onClick={onFollow}
      >
        <Pin size={12} aria-hidden="true" />
      </button>
    </td>
    <td className="pr-3 text-right">
      <TapeLink server={server} one={one} />
    </td>
    <td className="pr-3 whitespace-nowrap">
      {one.program} <span className="text-muted text-sm">{one.user}</span>
    </td>
    <td className="pr-3 whitespace-nowrap">
      <Swatch one={one} /> {one.wait_label}
    </td>
    <td className="pr-3 text-right whitespace-nowrap">
      {one.transaction_ms === null ? "–" : duration(one.transaction_ms)}
    </td>
    <td className="pr-3 text-right whitespace-nowrap">
      {one.statement_ms === null || !one.active ? "–" : duration(one.statement_ms)}
    </td>
    <td className="pr-3 text-right" title={one.waits_for?.object ?? ""}>
      {one.blocked_by.map((pid) => (pid === -1 ? "prepared" : pid)).join(", ")}
    </td>
    <td className="pr-3 text-right">{one.blocks ? <b>{one.blocks}</b> : ""}</td>
    <td className="max-w-0 w-2/5 truncate font-mono text-xs" title={one.statement}>
      <StatementLink server={server} one={one} />
    </td>
    <td className="pl-2 whitespace-nowrap">
      {onEnd ? (
        <button
          type="button"
          className="text-accent hover:underline"
          aria-label={`end pid ${one.pid} …`}
          onClick={onEnd}
        >
          end …
        </button>
      ) : null}
    </td>
  </tr>
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
      <table className="font-condensed w-full">
        <thead className="text-muted border-strong border-b text-left text-sm">
          <tr>
            <th className="pr-3 text-right font-normal">pid</th>
            <th className="pr-3 font-normal">program</th>
            <th className="pr-3 font-normal">client</th>
            <th className="pr-3 font-normal">seen</th>
            <th className="pr-3 text-right font-normal">seconds</th>
            <th className="pr-3 text-right font-normal">waited for locks</th>
            <th className="pr-3 text-right font-normal">errors</th>
            <th className="pr-3 font-normal">mostly</th>
            <th className="font-normal">last statement</th>
          </tr>
        </thead>
        <tbody>
          {data.sessions.map((one) => (
            <tr key={keyOf(one)} className="border-line hover:bg-raised border-b">
              <td className="pr-3 text-right">
                <TapeLink server={server} one={one} />
              </td>
              <td className="pr-3 whitespace-nowrap">
                {one.program} <span className="text-muted text-sm">{one.user}</span>
              </td>
              <td className="text-muted pr-3 text-sm">{one.client}</td>
              <td className="pr-3 whitespace-nowrap">
                {stamp(one.first)} – {clock(one.last)}
              </td>
              <td className="pr-3 text-right">{count(one.ticks)}</td>
              <td className="pr-3 text-right">{one.lock_ticks ? <b>{count(one.lock_ticks)}</b> : ""}</td>
              <td className="pr-3 text-right">{one.errors ? <b>{count(one.errors)}</b> : ""}</td>
              <td className="pr-3 whitespace-nowrap">{one.main_wait}</td>
              <td className="max-w-0 w-1/3 truncate font-mono text-xs" title={one.statement}>
                <StatementLink server={server} one={one} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {data.total > data.sessions.length ? (
        <p className="text-muted text-sm">
          and {count(data.total - data.sessions.length)} more; narrow the window or the words.
        </p>
      ) : null}
    </>
  );
};
