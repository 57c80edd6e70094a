import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { when } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { Bars } from "./Bars";
import { CAUSES, patternsSentence, sinceWords } from "./model";
import { patternsQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly server: number;
  readonly search: Base;
}

export const minute = (at: number): string => when(at, false);

/** Deadlocks of the window, grouped by pattern. */
export const DeadlocksPage = ({ server, search }: Props) => {
  const patterns = useQuery(patternsQuery(server, windowOf(search)));
  const found = patterns.data;
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={patterns} what="the deadlocks of this window" />
      </div>
    );
  return (
    <div className={`h-full overflow-y-auto px-6 pt-2 pb-6 ${patterns.isPlaceholderData ? "opacity-50" : ""}`}>
      <AnswerState of={patterns} what="the deadlocks of this window" />
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{patternsSentence(found)}</h1>
        <ExportMenu
          name="deadlock patterns"
          table={() => ({
            columns: [
              "pattern",
              "state",
              "cause",
              "count",
              "lost_ms",
              "waited_ms",
              "first",
              "last",
              "programs",
              "tables",
            ],
            rows: found.patterns.map((one) => [
              one.pattern,
              one.state,
              one.cause,
              one.count,
              one.lost_ms,
              one.waited_ms,
              new Date(one.first).toISOString(),
              new Date(one.last).toISOString(),
              one.programs.join(", "),
              one.tables.join(", "),
            ]),
          })}
        />
      </div>
      {found.patterns.length ? (
        <table className="font-condensed mt-2 w-full">
          <thead className="text-muted border-strong border-b text-left text-sm">
            <tr>
              <th className="pr-4 font-normal">pattern</th>
              <th className="pr-4 text-right font-normal">here</th>
              <th className="pr-4 font-normal">over time</th>
              <th className="pr-4 text-right font-normal">work lost</th>
              <th className="pr-4 text-right font-normal">time waited</th>
              <th className="pr-4 font-normal">first, last</th>
              <th className="font-normal">state</th>
            </tr>
          </thead>
          <tbody>
            {found.patterns.map((one) => (
              <Row key={one.pattern} server={server} one={one} />
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-muted mt-2">
          Deadlocks are read from the server's log, live or as it is followed. Grouped by what the parties ran and in
          which order they waited, they stand here with what mends them.
        </p>
      )}
    </div>
  );
};

const Row = ({ server, one }: { readonly server: number; readonly one: Schemas["PatternOut"] }) => (
  <tr className="border-line hover:bg-raised border-b align-top">
    <td className="pr-4">
      <Link
        to="/servers/$server/deadlocks/$pattern"
        params={{ server: String(server), pattern: one.pattern }}
        className="hover:text-accent"
      >
        <b className="font-semibold">{one.programs.join(" × ") || "unnamed sessions"}</b>{" "}
        {one.tables.length ? `over ${one.tables.join(" and ")}` : ""}
        <span className="text-muted block text-sm">{CAUSES[one.cause] ?? one.cause}</span>
        {one.statements.map((text) => (
          <span key={text} className="block max-w-md truncate font-mono text-xs" title={text}>
            {text}
          </span>
        ))}
      </Link>
    </td>
    <td className="pr-4 text-right">
      <b>{count(one.count)}</b>
      <span className="text-muted block text-sm">of {count(one.total)}</span>
    </td>
    <td className="pr-4">
      <Bars series={one.series} label={`${one.count} in this window`} />
    </td>
    <td className="pr-4 text-right whitespace-nowrap">{one.lost_ms ? duration(one.lost_ms) : "not known"}</td>
    <td className="pr-4 text-right whitespace-nowrap">{one.waited_ms ? duration(one.waited_ms) : "not known"}</td>
    <td className="pr-4 text-sm whitespace-nowrap">
      {minute(one.first)}
      <br />
      {minute(one.last)}
    </td>
    <td>
      <b className="font-semibold">{one.state}</b>
      <span className="text-muted block text-sm">{sinceWords(one, minute)}</span>
      {one.comments ? <span className="text-muted block text-sm">{count(one.comments)} comments</span> : null}
    </td>
  </tr>
);
