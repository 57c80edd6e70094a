// Columns of the tables about requests.
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { LAYERS } from "../../lib/words/layers";
import { REQUEST_FINDINGS } from "../../lib/words/request_findings";
import { stamp } from "../../lib/time";
import { count, duration } from "../../lib/units";
import type { Column } from "../../ui/table/columns";
import { LayerBar } from "./LayerBar";
import { outside, percent } from "./layers";
import { againstUsual, usualWords } from "./model";

export type Endpoint = Schemas["EndpointOut"];
export type Statement = Schemas["RequestStatementOut"];
export type Call = Schemas["CallOut"];
export type Single = Schemas["SingleOut"];

export const rate = (n: number): string => `${count(Number(n.toPrecision(3)))}/s`;
const known = (ms: number | null): string => (ms === null ? "–" : duration(ms));
const each = (n: number): string => (n === 0 ? "0" : count(Number(n.toPrecision(3))));

export type Notes = ReadonlyMap<number, Schemas["NotedOut"]>;

const OF_ENDPOINTS: readonly Column<Endpoint>[] = [
  {
    id: "database",
    heading: "database",
    title: "its part of the time",
    align: "right",
    value: (one) => one.database_share,
    show: (one) => percent(one.database_share, 1),
  },
  {
    id: "queries",
    heading: "statements each",
    align: "right",
    value: (one) => one.statements,
    show: (one) => each(one.statements),
  },
  {
    id: "errors",
    heading: "failed",
    align: "right",
    value: (one) => one.errors,
    show: (one) => (one.errors ? <b>{count(one.errors)}</b> : "0"),
  },
  {
    id: "satisfaction",
    heading: "satisfied",
    title: "requests within their target count whole, those within four times of it half, failed ones not at all",
    align: "right",
    value: (one) => one.satisfaction,
    show: (one) => (one.satisfaction === null ? "–" : one.satisfaction.toFixed(2)),
    say: (one) => `target ${duration(one.target_ms)}`,
  },
];

/** What is found of an endpoint, and how long its requests take against what is usual; of those that are known. */
const noted = (notes: Notes): readonly [usual: Column<Endpoint>, found: Column<Endpoint>] => {
  const usual = (one: Endpoint) => notes.get(one.id)?.usual_mean_ms ?? null;
  const found = (one: Endpoint) => notes.get(one.id)?.found ?? [];
  return [
    {
      id: "usual",
      heading: "usual",
      title: "mean of a request, by what is usual in these hours of the day",
      align: "right",
      value: (one) => one.mean_ms / (usual(one)?.middle ?? NaN),
      say: (one) => {
        const known = usual(one);
        return known ? usualWords(known, duration) : "too few earlier days are known";
      },
      show: (one) => {
        const words = againstUsual(one.mean_ms, usual(one));
        return words?.startsWith("×") ? <b className="font-semibold">{words}</b> : (words ?? "–");
      },
    },
    {
      id: "found",
      heading: "found",
      value: (one) =>
        found(one)
          .map((each) => REQUEST_FINDINGS[each.kind])
          .join(", "),
      say: (one) =>
        found(one)
          .map((each) => `${REQUEST_FINDINGS[each.kind]}: ${each.detail}`)
          .join("\n"),
    },
  ];
};

/** How many times a figure is what it was: "×2.4", "as before". */
export function timesWords(now: number, before: number | null): string {
  if (before === null || before <= 0) return "not there then";
  const times = now / before;
  return times > 0.8 && times < 1.25 ? "as then" : `×${Number(times.toPrecision(2))}`;
}

/** What is compared with another time: how long a request took then, and how many there were. */
const THEN: readonly Column<Endpoint>[] = [
  {
    id: "then",
    heading: "mean then",
    align: "right",
    value: (one) => one.mean_before_ms,
    show: (one) => known(one.mean_before_ms),
  },
  {
    id: "slower",
    heading: "slower",
    title: "mean of a request, by what it was then",
    align: "right",
    value: (one) => (one.mean_before_ms ? one.mean_ms / one.mean_before_ms : null),
    show: (one) => <b className="font-semibold">{timesWords(one.mean_ms, one.mean_before_ms)}</b>,
  },
  {
    id: "more",
    heading: "more",
    title: "requests, by how many there were then",
    align: "right",
    value: (one) => (one.per_second_before ? one.per_second / one.per_second_before : null),
    show: (one) => timesWords(one.per_second, one.per_second_before),
  },
];

/** Endpoints side by side: their bars share one scale. `compared`: with another time. */
export function endpointColumns(rows: readonly Endpoint[], notes: Notes, compared = false): Column<Endpoint>[] {
  const [usual, found] = noted(notes);
  const ownMost = Math.max(0, ...rows.map((one) => one.layers.own));
  const outsideMost = Math.max(0, ...rows.map((one) => outside(one.layers)));
  return [
    {
      id: "endpoint",
      heading: "endpoint or job",
      wide: true,
      value: (one) => one.endpoint,
      say: (one) => one.verdict,
      show: (one) => (
        <>
          {one.endpoint} <span className="text-muted text-sm">{one.service}</span>
        </>
      ),
    },
    {
      id: "time",
      heading: "own code | waited for",
      title: "time of all requests together: own code left of the line, what they waited for right of it",
      value: (one) => one.time_ms,
      show: (one) => <LayerBar layers={one.layers} ownMost={ownMost} outsideMost={outsideMost} />,
    },
    {
      id: "share",
      heading: "of all time",
      align: "right",
      value: (one) => one.share,
      show: (one) => <b className="font-semibold">{percent(one.share, 1)}</b>,
    },
    {
      id: "rate",
      heading: "requests",
      align: "right",
      value: (one) => one.per_second,
      show: (one) => rate(one.per_second),
    },
    { id: "mean", heading: "mean", align: "right", value: (one) => one.mean_ms, show: (one) => duration(one.mean_ms) },
    usual,
    ...(compared ? THEN : []),
    {
      id: "p95",
      heading: "95%",
      title: "so many are answered within this time; exact to 21%",
      align: "right",
      value: (one) => one.p95_ms,
      show: (one) => known(one.p95_ms),
    },
    {
      id: "p99",
      heading: "99%",
      optional: true,
      align: "right",
      value: (one) => one.p99_ms,
      show: (one) => known(one.p99_ms),
    },
    ...OF_ENDPOINTS,
    found,
  ];
}

/** A statement's text as a link to its page, where the server has counted one like it. */
export const statementText = (server: number, one: { readonly text: string; readonly query_id: string | null }) =>
  one.query_id === null ? (
    <span className="font-mono text-xs" title={`${one.text}\nThe server has counted no statement like it.`}>
      {one.text}
    </span>
  ) : (
    <Link
      to="/servers/$server/statements/$query"
      params={{ server: String(server), query: one.query_id }}
      className="hover:text-accent block truncate font-mono text-xs"
      title={one.text}
    >
      {one.text}
    </Link>
  );

/** Statements of one endpoint, beside what they were in the window before. */
export function statementColumns(server: number, before: readonly Statement[]): Column<Statement>[] {
  const earlier = new Map(before.map((one) => [one.id, one]));
  return [
    {
      id: "statement",
      heading: "statement",
      wide: true,
      value: (one) => one.text,
      show: (one) => statementText(server, one),
    },
    {
      id: "runs",
      heading: "runs each",
      title: "runs in a request, on average",
      align: "right",
      value: (one) => one.runs,
      show: (one) => each(one.runs),
    },
    {
      id: "before",
      heading: "before",
      title: "runs in a request of those it stands beside",
      align: "right",
      value: (one) => earlier.get(one.id)?.runs ?? 0,
      show: (one) => (before.length ? (earlier.has(one.id) ? each(earlier.get(one.id)?.runs ?? 0) : "not run") : "–"),
    },
    { id: "mean", heading: "mean", align: "right", value: (one) => one.mean_ms, show: (one) => duration(one.mean_ms) },
    {
      id: "share",
      heading: "of its time",
      align: "right",
      value: (one) => one.share,
      show: (one) => percent(one.share, 1),
    },
    {
      id: "repeated",
      heading: "repeated",
      title: "runs in requests that run it five times and more",
      align: "right",
      value: (one) => one.repeated_runs,
      show: (one) => (one.repeated_requests > 0 ? <b>{each(one.repeated_runs)} times</b> : ""),
    },
  ];
}

const TIMES_PX = 110;

/** How often a request ran it, over time: a bar for each cell in which one did. */
const Times = ({ runs }: { readonly runs: readonly (number | null)[] }) => {
  const most = Math.max(1, ...runs.map((n) => n ?? 0));
  const wide = TIMES_PX / Math.max(1, runs.length);
  const told = runs.filter((n) => n !== null);
  const words = told.length
    ? `from ${each(told[0] ?? 0)} to ${each(told.at(-1) ?? 0)}, ${each(most)} at most`
    : "not known";
  return (
    <svg width={TIMES_PX} height={14} role="img" aria-label={`runs in a request over time: ${words}`} className="block">
      <title>{words}</title>
      {runs.map((n, i) =>
        n === null ? null : (
          <rect
            key={i}
            x={i * wide}
            y={13 - (12 * n) / most}
            width={Math.max(1, wide - 0.5)}
            height={(12 * n) / most}
            fill="var(--running)"
          />
        ),
      )}
      <line x2={TIMES_PX} y1={13.5} y2={13.5} stroke="var(--line)" />
    </svg>
  );
};

/** Statements run once for each row of another, over all endpoints; `times` has how often over time. */
export const repeatedColumns = (
  server: number,
  times: (one: Statement) => readonly (number | null)[],
): Column<Statement>[] => [
  {
    id: "statement",
    heading: "statement",
    wide: true,
    value: (one) => one.text,
    show: (one) => statementText(server, one),
  },
  {
    id: "endpoint",
    heading: "endpoint",
    value: (one) => one.endpoint,
    show: (one) => (
      <Link
        to="/servers/$server/endpoints/$endpoint"
        params={{ server: String(server), endpoint: String(one.endpoint_id) }}
        className="hover:text-accent"
      >
        {one.endpoint}
      </Link>
    ),
  },
  {
    id: "runs",
    heading: "runs each",
    title: "in a request that repeats it",
    align: "right",
    value: (one) => one.repeated_runs,
    show: (one) => <b>{each(one.repeated_runs)}</b>,
  },
  {
    id: "times",
    heading: "over time",
    title: "runs in a request that repeats it, over the window",
    value: (one) => times(one).findLast((n) => n !== null) ?? null,
    show: (one) => <Times runs={times(one)} />,
  },
  {
    id: "requests",
    heading: "requests",
    title: "that repeat it",
    align: "right",
    value: (one) => one.repeated_requests,
    show: (one) => count(one.repeated_requests),
  },
  {
    id: "time",
    heading: "time",
    align: "right",
    value: (one) => one.repeated_ms,
    show: (one) => duration(one.repeated_ms),
  },
  {
    id: "once",
    heading: "as one query",
    title: "an estimate: one run a request, as long as one of these",
    align: "right",
    value: (one) => one.repeated_requests * one.mean_ms,
    show: (one) => `≈ ${duration(one.repeated_requests * one.mean_ms)}`,
  },
  {
    id: "code",
    heading: "in the code",
    value: (one) => one.code || null,
    say: (one) => one.code || "traces tell no place",
  },
  {
    id: "after",
    heading: "after",
    title: "the statement before it",
    value: (one) => one.after,
    show: (one) => <span className="font-mono text-xs">{one.after}</span>,
    say: (one) => one.after,
  },
];

/** Whom requests call; `endpoint` where several endpoints stand in one list. */
export const callColumns = (server: number, endpoint: boolean): Column<Call>[] => [
  { id: "to", heading: "to", wide: true, value: (one) => one.to },
  { id: "layer", heading: "layer", value: (one) => LAYERS[one.layer] },
  ...(endpoint
    ? [
        {
          id: "endpoint",
          heading: "by",
          value: (one: Call) => one.endpoint,
          show: (one: Call) => (
            <Link
              to="/servers/$server/endpoints/$endpoint"
              params={{ server: String(server), endpoint: String(one.endpoint_id) }}
              className="hover:text-accent"
            >
              {one.endpoint}
            </Link>
          ),
        },
      ]
    : []),
  {
    id: "each",
    heading: "calls each",
    align: "right",
    value: (one) => one.calls_each,
    show: (one) => each(one.calls_each),
  },
  { id: "calls", heading: "calls", align: "right", value: (one) => one.calls, show: (one) => count(one.calls) },
  { id: "mean", heading: "mean", align: "right", value: (one) => one.mean_ms, show: (one) => duration(one.mean_ms) },
  { id: "time", heading: "time", align: "right", value: (one) => one.time_ms, show: (one) => duration(one.time_ms) },
  {
    id: "share",
    heading: "of its requests",
    title: "of the time of the endpoint’s requests; calls at once count each",
    align: "right",
    value: (one) => one.share,
    show: (one) => percent(one.share, 1),
  },
  {
    id: "errors",
    heading: "failed",
    align: "right",
    value: (one) => one.errors,
    show: (one) => (one.errors ? <b>{count(one.errors)}</b> : "0"),
  },
];

const WHY: Readonly<Record<Single["why"], string>> = { failed: "failed", slow: "slow", blocked: "blocked", chosen: "" };

/** Requests that are kept singly. */
export function singleColumns(rows: readonly Single[]): Column<Single>[] {
  const ownMost = Math.max(0, ...rows.map((one) => one.layers.own));
  const outsideMost = Math.max(0, ...rows.map((one) => outside(one.layers)));
  return [
    { id: "at", heading: "began", wide: true, value: (one) => one.at, show: (one) => stamp(one.at) },
    {
      id: "took",
      heading: "took",
      align: "right",
      value: (one) => one.duration_ms,
      show: (one) => duration(one.duration_ms),
    },
    {
      id: "layers",
      heading: "own code | waited for",
      value: (one) => one.layers.database,
      show: (one) => <LayerBar layers={one.layers} ownMost={ownMost} outsideMost={outsideMost} width={160} />,
    },
    { id: "statements", heading: "statements", align: "right", value: (one) => one.statements },
    { id: "why", heading: "kept because", value: (one) => WHY[one.why] },
    { id: "version", heading: "version", value: (one) => one.version, optional: true },
    { id: "host", heading: "host", value: (one) => one.host, optional: true },
    {
      id: "weight",
      heading: "stands for",
      title: "requests that were not kept",
      align: "right",
      optional: true,
      value: (one) => one.weight,
      show: (one) => count(Number(one.weight.toPrecision(3))),
    },
  ];
}
