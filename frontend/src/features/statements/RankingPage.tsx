import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Fragment, useState } from "react";

import type { Schemas } from "../../api/client";
import { duration, sessions } from "../../lib/units";
import { follows, type ViewSearch, windowOf } from "../../lib/view";
import { Failure } from "../../ui/Failure";
import { Conditions } from "./Conditions";
import { againstUsual, isMeasure, type Measure, MEASURES, type SampledLoad, times, uncounted } from "./model";
import { rankingQuery, statementLoadQuery, usualTimesQuery } from "./queries";
import { Star } from "./Star";

const NONE: string[] = [];
const SHOWN: readonly Measure[] = [
  "total_ms",
  "change",
  "calls",
  "mean_ms",
  "stddev_ms",
  "rows",
  "blocks_hit",
  "blocks_read",
  "read_ms",
  "temp_written",
  "wal_bytes",
  "plan_ms",
  "errors",
];
const UNKNOWN: Partial<Record<Measure, string>> = {
  stddev_ms: "fewer than two calls",
  change: "it did not run in the window before, or that was not counted",
};

interface Props {
  readonly server: number;
  readonly search: ViewSearch;
  readonly onSearch: (change: Partial<ViewSearch>) => void;
}

/** Statements of the window, ranked by any measure. A click on a heading ranks by it. */
export const RankingPage = ({ server, search, onSearch }: Props) => {
  const sort: Measure = isMeasure(search.sort) ? search.sort : "total_ms";
  const [text, setText] = useState(search.containing ?? "");
  const spec = windowOf(search);
  const where = search.where ?? NONE;
  const given = {
    sort,
    containing: search.containing ?? "",
    where,
    tools: search.tools === "shown",
    starred: search.starred === "only",
  };
  const ranking = useQuery(rankingQuery(server, spec, given));
  const found = ranking.data;
  const usual = useQuery(usualTimesQuery(server, spec)).data;
  const load = useQuery(statementLoadQuery(server, spec)).data;
  const most = Math.max(...(found?.rows.map((row) => row[sort] ?? 0) ?? []), 0);
  const span = found ? found.end - found.start : 0;
  const query = new URLSearchParams({
    sort,
    containing: given.containing,
    tools: String(given.tools),
    starred: String(given.starred),
    ...(follows(spec) ? { last: String(spec.last) } : { from: String(spec.from), to: String(spec.to) }),
  });
  for (const one of where) query.append("where", one);
  return (
    <div className="flex h-full flex-col px-6 pt-2">
      <div className="mb-2 flex items-center justify-between gap-4">
        <h1 className="text-base font-semibold">Statements by {MEASURES[sort].title}</h1>
        <div className="flex items-center gap-3 text-sm">
          <form
            onSubmit={(event) => {
              event.preventDefault();
              onSearch({ containing: text });
            }}
          >
            <input
              type="search"
              aria-label="only statements that contain"
              placeholder="contains …"
              value={text}
              onChange={(event) => setText(event.target.value)}
              className="bg-raised border-line w-52 border px-2 py-0.5"
            />
          </form>
          <Link
            to="/servers/$server/split"
            params={{ server: String(server) }}
            search={true}
            className="text-accent hover:underline"
          >
            why it changed
          </Link>
          <a
            className="text-accent hover:underline"
            href={`/api/v1/servers/${server}/statements/export?${query}&format=csv`}
          >
            CSV
          </a>
          <a
            className="text-accent hover:underline"
            href={`/api/v1/servers/${server}/statements/export?${query}&format=jsonl`}
          >
            JSON Lines
          </a>
        </div>
      </div>
      <Conditions search={search} onSearch={onSearch} />
      {ranking.error ? (
        <Failure
          title="Statements cannot be ranked"
          detail={ranking.error.message}
          retry={() => void ranking.refetch()}
        />
      ) : null}
      {found ? <Coverage found={found} span={span} /> : <p className="text-muted">Reading counters …</p>}
      {found && load && !given.containing && !where.length && !given.starred ? (
        <Uncounted found={found} load={load} server={server} search={search} />
      ) : null}
      <p className="text-muted flex gap-4 pb-1 text-sm">
        {found && found.hidden > 0 ? (
          <button type="button" className="hover:text-accent" onClick={() => onSearch({ tools: "shown" })}>
            {found.hidden} of tools and of the system hidden: show
          </button>
        ) : null}
        {given.tools ? (
          <button type="button" className="hover:text-accent" onClick={() => onSearch({ tools: "" })}>
            hide those of tools and of the system
          </button>
        ) : null}
        {found && found.unfit > 0 ? <span>{found.unfit} do not meet the conditions</span> : null}
        <button
          type="button"
          className="hover:text-accent ml-auto"
          onClick={() => onSearch({ starred: given.starred ? "" : "only" })}
        >
          {given.starred ? "show all, not only the starred" : "only the starred"}
        </button>
      </p>
      <div className={`min-h-0 grow overflow-auto ${ranking.isPlaceholderData ? "opacity-50" : ""}`}>
        {found && found.rows.length > 0 ? (
          <table className="font-condensed w-full">
            <thead className="bg-ground sticky top-0">
              <tr className="border-strong border-b">
                <th className="w-5" aria-label="star" />
                <th className="py-1 text-left font-normal">statement</th>
                <th
                  className="pl-3 text-right font-normal whitespace-nowrap"
                  title="sessions in it on average, as sampled: also in calls that have not ended"
                >
                  sessions
                </th>
                {SHOWN.map((name) => (
                  <Fragment key={name}>
                    <th
                      className="pl-3 text-right font-normal whitespace-nowrap"
                      aria-sort={name === sort ? "descending" : "none"}
                    >
                      <button
                        type="button"
                        title={MEASURES[name].title}
                        onClick={() => onSearch({ sort: name })}
                        className={`hover:text-accent ${name === sort ? "font-semibold" : ""}`}
                      >
                        {MEASURES[name].label}
                      </button>
                    </th>
                    {name === "change" ? (
                      <th
                        className="pl-3 text-right font-normal whitespace-nowrap"
                        title="time a second, against this hour of other days"
                      >
                        of usual
                      </th>
                    ) : null}
                  </Fragment>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.rows.map((row) => (
                <RankingRow
                  key={row.query_id}
                  row={row}
                  inIt={load?.rows.get(row.query_id)}
                  usual={againstUsual(row.total_ms, found.covered_ms, usual?.get(row.query_id))}
                  sort={sort}
                  most={most}
                  server={server}
                  search={search}
                />
              ))}
            </tbody>
          </table>
        ) : null}
        {found && found.rows.length === 0 ? (
          <p className="text-muted py-4">
            Here will be every statement that ended in this window. Counters are read every 15 s, so a very short window
            can hold none.
          </p>
        ) : null}
        {found && found.more > 0 ? (
          <p className="text-muted py-1 text-sm">{found.more} more with less; the export holds all.</p>
        ) : null}
      </div>
    </div>
  );
};

const Coverage = ({ found, span }: { readonly found: Schemas["RankingOut"]; readonly span: number }) => {
  const partly = found.covered_ms < span * 0.9;
  if (!partly && found.breaks.length === 0) return null;
  return (
    <p className="text-muted mb-1 text-sm">
      {partly ? `Counters cover ${duration(found.covered_ms)} of this window's ${duration(span)}. ` : ""}
      {found.breaks.includes("reset") ? "Counters were reset in between: work just before is missing. " : ""}
      {found.breaks.includes("restart") ? "The server restarted in between. " : ""}
      {found.breaks.includes("eviction")
        ? "The server threw out rarely used statements for want of room: theirs is missing."
        : ""}
    </p>
  );
};

interface UncountedProps {
  readonly found: Schemas["RankingOut"];
  readonly load: SampledLoad;
  readonly server: number;
  readonly search: ViewSearch;
}

/** What the figures below cannot show yet, though it may be what hurts. */
const Uncounted = ({ found, load, server, search }: UncountedProps) => {
  const missing = uncounted(load, new Map(found.rows.map((row) => [row.query_id, row.total_ms])));
  if (missing.length === 0) return null;
  return (
    <p className="mb-1 text-sm" role="status">
      <b className="font-semibold">Not in these figures:</b> the server counts a call when it ends well. Sampled in
      calls that had not ended, or that failed:{" "}
      {missing.map((row, i) => (
        <Fragment key={row.value}>
          {i ? "; " : ""}
          <Link
            to="/servers/$server/statements/$query"
            params={{ server: String(server), query: row.value }}
            search={search}
            className="text-accent hover:underline"
          >
            <span className="font-mono text-xs">{row.label}</span>
          </Link>{" "}
          <b className="font-semibold">{sessions(row.sessions)} sessions</b>
        </Fragment>
      ))}
      .
    </p>
  );
};

interface RowProps {
  readonly row: Schemas["FiguresOut"];
  readonly inIt: { readonly sessions: number; readonly sessions_margin: number } | undefined;
  readonly usual: number | null; // how many times
  readonly sort: Measure;
  readonly most: number;
  readonly server: number;
  readonly search: ViewSearch;
}

const RankingRow = ({ row, inIt, usual, sort, most, server, search }: RowProps) => (
  <tr className="border-line hover:bg-raised border-b">
    <td>
      <Star server={server} query={row.query_id} starred={row.starred} />
    </td>
    <td className="max-w-0 w-2/5 py-1 pr-3">
      <Link
        to="/servers/$server/statements/$query"
        params={{ server: String(server), query: row.query_id }}
        search={search}
        className="hover:text-accent block truncate font-mono text-xs"
        title={row.tables ? `${row.label}\ntouches ${row.tables}` : row.label}
      >
        {row.label}
      </Link>
      <svg className="mt-0.5 block h-1 w-full" aria-hidden="true">
        <rect width={`${most ? ((row[sort] ?? 0) / most) * 100 : 0}%`} height="4" fill="var(--running)" />
      </svg>
    </td>
    <td
      className="pl-3 text-right whitespace-nowrap"
      title={inIt ? `${inIt.sessions} ± ${inIt.sessions_margin.toPrecision(2)}` : "never seen in it"}
    >
      {inIt ? sessions(inIt.sessions) : <span className="text-muted">0</span>}
    </td>
    {SHOWN.map((name) => {
      const value = row[name];
      return (
        <Fragment key={name}>
          <td
            className={`pl-3 text-right whitespace-nowrap ${name === sort ? "font-semibold" : ""}`}
            title={value === null ? UNKNOWN[name] : String(value)}
          >
            {value === null ? "–" : value === 0 ? <span className="text-muted">0</span> : MEASURES[name].say(value)}
          </td>
          {name === "change" ? (
            <td
              className={`pl-3 text-right whitespace-nowrap ${(usual ?? 1) >= 2 ? "font-semibold" : ""}`}
              title={
                usual === null
                  ? "fewer than three earlier days alike are known"
                  : `${usual.toPrecision(3)} times its usual time`
              }
            >
              {usual === null ? "–" : times(usual)}
            </td>
          ) : null}
        </Fragment>
      );
    })}
  </tr>
);
