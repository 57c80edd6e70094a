import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { when } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { InCases } from "../../shell/InCases";
import { AnswerState } from "../../ui/Answer";
import { useSubject } from "../../ui/offers";
import { Bars } from "./Bars";
import { CrossingChart } from "./CrossingChart";
import { minute } from "./DeadlocksPage";
import type { DeadlockSearch } from "./deadlocks.route";
import { Handling } from "./Handling";
import { CAUSES, confidenceWords, sinceWords } from "./model";
import { patternQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly pattern: string;
  readonly search: DeadlockSearch;
  readonly role: string;
  readonly onSearch: (change: Partial<DeadlockSearch>) => void;
}

/** One pattern of deadlocks: what happened, why, what mends it, and how often it still happens. */
export const DeadlockPage = ({ server, pattern, search, role, onSearch }: Props) => {
  const page = useQuery(patternQuery(server, pattern, windowOf(search)));
  const found = page.data;
  useSubject(
    found ? { about: "pattern", key: pattern, title: found.deadlocks[0]?.sentence.slice(0, 200) ?? pattern } : null,
  );
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={page} what="this deadlock" />
      </div>
    );
  const chosen = found.deadlocks.find((one) => String(one.at) === search.event) ?? found.deadlocks[0];
  const one = found.pattern;
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{chosen?.sentence}</h1>
        <Link
          to="/servers/$server/deadlocks"
          params={{ server: String(server) }}
          className="text-accent shrink-0 text-sm underline"
        >
          all patterns
        </Link>
      </div>
      <p className="text-muted flex items-center gap-4 text-sm">
        <span>
          <b className="text-ink font-semibold">{one.state}</b>, {count(one.count)} in this window, {count(one.total)}{" "}
          since {minute(one.first)}
        </span>
        <Bars series={one.series} label={`${one.count} in this window`} />
        <b className="text-ink font-semibold">{sinceWords(one, minute)}</b>
      </p>
      <InCases server={server} about="pattern" of={pattern} />
      {chosen ? (
        <div className="mt-3 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-8">
          <div className="min-w-0">
            <CrossingChart key={chosen.at} deadlock={chosen} />
            <Parties server={server} one={chosen} />
          </div>
          <div className="min-w-0">
            <Cause one={chosen} mends={found.mends} />
            <Handling server={server} pattern={one} comments={found.comments} canAct={role !== "viewer"} />
          </div>
        </div>
      ) : null}
      <div className="mt-4 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-8">
        {chosen ? (
          <details>
            <summary className="cursor-pointer font-semibold">The record as the server logged it</summary>
            <pre className="bg-raised mt-1 max-h-72 overflow-auto p-2 font-mono text-xs whitespace-pre-wrap">
              {chosen.raw}
            </pre>
          </details>
        ) : null}
        <section aria-label="Each time">
          <h2 className="border-strong border-b font-semibold">Each time, the newest first</h2>
          <ul className="max-h-56 overflow-y-auto">
            {found.deadlocks.map((other) => (
              <li key={`${other.at}-${other.victim}-${other.place}`} className="border-line border-b">
                <button
                  type="button"
                  aria-pressed={other === chosen}
                  className={`w-full text-left ${other === chosen ? "font-semibold" : "hover:text-accent"}`}
                  onClick={() => onSearch({ event: String(other.at) })}
                >
                  {when(other.at)}, victim {other.parties[0]?.program} {other.victim}
                </button>
              </li>
            ))}
          </ul>
        </section>
      </div>
    </div>
  );
};

interface CauseProps {
  readonly one: Schemas["DeadlockOut"];
  readonly mends: readonly string[];
}

/** Why it came about, how to fix it, and what it cost. */
const Cause = ({ one, mends }: CauseProps) => (
  <section aria-label="Cause">
    <h2 className="border-strong border-b font-semibold">
      {confidenceWords(one.confidence)}: {CAUSES[one.cause] ?? one.cause}
    </h2>
    <p className="py-1">{one.reason}</p>
    <h3 className="mt-1 font-semibold">How to fix it</h3>
    <ol className="list-decimal pl-5">
      {mends.map((mend) => (
        <li key={mend} className="py-0.5">
          {mend}
        </li>
      ))}
    </ol>
    <p className="text-sm">
      {one.lost_ms === null ? "" : `The victim's transaction had run for ${duration(one.lost_ms)}. `}
      {one.waited_ms === null ? "" : `The parties waited ${duration(one.waited_ms)} in all.`}
    </p>
  </section>
);

const Parties = ({ server, one }: { readonly server: number; readonly one: Schemas["DeadlockOut"] }) => (
  <table className="font-condensed mt-3 w-full">
    <tbody>
      {one.parties.map((party, i) => (
        <tr key={party.pid} className="border-line border-b align-top">
          <td className="pr-4 whitespace-nowrap">
            <b className="font-semibold">{party.program || "a session"}</b>{" "}
            <Link
              to="/servers/$server/sessions/$pid"
              params={{ server: String(server), pid: String(party.pid) }}
              search={{ from: one.at - 60_000, to: one.at + 15_000 }}
              className="hover:text-accent underline decoration-dotted"
              title="its tape around this second"
            >
              {party.pid}
            </Link>
            <span className="text-muted block text-sm">
              {[i === 0 ? "victim" : "went on", party.user, party.client].filter(Boolean).join(", ")}
            </span>
          </td>
          <td>
            <span className="block font-mono text-xs break-words">
              {party.query_id === null ? (
                party.statement
              ) : (
                <Link
                  to="/servers/$server/statements/$query"
                  params={{ server: String(server), query: party.query_id }}
                  className="hover:text-accent"
                  title="its figures, plans and index proposals"
                >
                  {party.statement}
                </Link>
              )}
            </span>
            <span className="text-muted text-sm">
              wanted {party.wants.mode} on {party.wants.words}
              {party.context ? `; ${party.context.split("\n")[0] ?? ""}` : ""}
            </span>
          </td>
        </tr>
      ))}
    </tbody>
  </table>
);
