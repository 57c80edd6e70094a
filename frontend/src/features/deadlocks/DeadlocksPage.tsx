import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { patternsQuery } from "../../api/queries";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { ExportMenu } from "../../charts/ExportMenu";
import { when } from "../../lib/time";
import { count, duration, counted } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { Bars } from "./Bars";
import { CAUSES, patternsSentence, sinceWords } from "./model";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly server: number;
  readonly search: Base;
}

export const minute = (at: number): string => when(at, false);

/** Deadlocks of the window, grouped by pattern. */
export const DeadlocksPage = ({ server, search }: Props) => {
  const trail = search.pick ?? [];
  const patterns = useQuery(patternsQuery(server, windowOf(search), trail));
  const found = patterns.data;
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={patterns} what="the deadlocks of this window" />
      </div>
    );
  return (
    <div className={`pane px-6 pt-2 pb-6 ${patterns.isPlaceholderData ? "opacity-50" : ""}`}>
      <AnswerState of={patterns} what="the deadlocks of this window" />
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{patternsSentence(found, trail.length > 0)}</h1>
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
        <DataTable
          id="deadlock-patterns"
          label="Patterns of deadlocks"
          columns={COLUMNS}
          rows={found.patterns}
          rowKey={(one) => one.pattern}
          sort={{ by: "here", descending: true }}
          link={(one, words, className) => (
            <Link
              to="/servers/$server/deadlocks/$pattern"
              params={{ server: String(server), pattern: one.pattern }}
              className={className}
            >
              {words}
            </Link>
          )}
          className="mt-2"
        />
      ) : (
        <p className="text-muted mt-2">
          Deadlocks are read from the server's log, live or as it is followed. Grouped by what the parties ran and in
          which order they waited, they are listed here with how to fix them.
        </p>
      )}
    </div>
  );
};

const known = (ms: number | null): string => (ms ? duration(ms) : "not known");

const COLUMNS: Column<Schemas["PatternOut"]>[] = [
  {
    id: "pattern",
    heading: "pattern",
    wide: true,
    value: (one) => one.programs.join(" × "),
    show: (one) => (
      <>
        <b className="font-semibold">{one.programs.join(" × ") || "unnamed sessions"}</b>{" "}
        {one.tables.length ? `over ${one.tables.join(" and ")}` : ""}
        <span className="text-muted block text-sm">{CAUSES[one.cause] ?? one.cause}</span>
        {one.statements.map((text) => (
          <span key={text} className="block max-w-md truncate font-mono text-xs" title={text}>
            {text}
          </span>
        ))}
      </>
    ),
  },
  {
    id: "here",
    heading: "here",
    align: "right",
    value: (one) => one.count,
    show: (one) => (
      <>
        <b>{count(one.count)}</b>
        <span className="text-muted block text-sm">of {count(one.total)}</span>
      </>
    ),
  },
  {
    id: "series",
    heading: "over time",
    value: (one) => one.count,
    show: (one) => <Bars series={one.series} label={`${one.count} in this window`} />,
  },
  { id: "lost", heading: "work lost", align: "right", value: (one) => one.lost_ms, show: (one) => known(one.lost_ms) },
  {
    id: "waited",
    heading: "time waited",
    align: "right",
    value: (one) => one.waited_ms,
    show: (one) => known(one.waited_ms),
  },
  { id: "first", heading: "first", value: (one) => one.first, show: (one) => minute(one.first) },
  { id: "last", heading: "last", value: (one) => one.last, show: (one) => minute(one.last) },
  {
    id: "state",
    heading: "state",
    value: (one) => one.state,
    show: (one) => (
      <>
        <b className="font-semibold">{one.state}</b>
        <span className="text-muted block text-sm">{sinceWords(one, minute)}</span>
        {one.comments ? <span className="text-muted block text-sm">{counted(one.comments, "comment")}</span> : null}
      </>
    ),
  },
];
