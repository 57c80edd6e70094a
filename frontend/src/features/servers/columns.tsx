// Columns of the list of servers: how each does now, its load over the window, and its indicators.
import { Link } from "@tanstack/react-router";
import { TriangleAlert } from "lucide-react";

import type { Schemas } from "../../api/client";
import { KIND_WORDS, isKind } from "../../charts/kinds";
import { Spark } from "../../charts/Spark";
import { Tide } from "../../charts/Tide";
import { changeWords, figure } from "../../lib/figure";
import { duration, sessions } from "../../lib/units";
import { INDICATORS } from "../../lib/words/indicators";
import type { Column } from "../../ui/table/columns";
import { type Figure, INDICATOR_NAMES, USUALLY_SHOWN, figureOf, loadOf, yesterdayOf } from "./indicators";

type Server = Schemas["ServerOut"];
type Found = Schemas["IndicatorsOut"] | undefined;

const STATES: Readonly<Record<string, string>> = {
  new: "waiting for the collector",
  watching: "watched",
  stale: "no samples lately",
  away: "cannot be reached",
};

/** All columns; those of indicators that are not usual can be added by whoever wants them. */
export const serverColumns = (found: Found): Column<Server>[] => [
  ...ABOUT,
  {
    ...{ id: "waterline", heading: "load in this window", title: "running above the line, waiting below it" },
    value: (one) => one.load_now,
    show: (one) => <Load server={one} found={found} />,
  },
  ...INDICATOR_NAMES.map((name): Column<Server> => ({
    ...{ id: name, heading: INDICATORS[name], optional: !USUALLY_SHOWN.includes(name) },
    title: "mean of this window; the line is the same hours yesterday, above it is more, below it is less",
    value: (one) => figureOf(found, one.id, name)?.cell.mean ?? null,
    show: (one) => <Indicator of={figureOf(found, one.id, name)} />,
  })),
  {
    ...{ id: "fresh", heading: "newest sample", optional: true, value: (one: Server) => one.freshness_ms },
    show: (one) => <Fresh server={one} />,
  },
];

const ABOUT: Column<Server>[] = [
  {
    ...{ id: "name", heading: "server", value: (one: Server) => one.name },
    show: (one) => (
      <>
        <Link
          to="/servers/$server/load"
          params={{ server: String(one.id) }}
          className="text-accent font-semibold hover:underline"
        >
          {one.name}
        </Link>
        <div className="text-muted max-w-52 truncate text-sm" title={`${one.database} at ${one.address}`}>
          {one.version ? `PostgreSQL ${one.version.split(" ")[0] ?? ""}, ` : ""}
          {one.database} at {one.address}
        </div>
      </>
    ),
  },
  {
    ...{ id: "trouble", heading: "trouble", value: (one: Server) => one.trouble },
    show: (one) => <Trouble server={one} />,
  },
  {
    ...{ id: "group", heading: "group", value: (one: Server) => one.group || null },
    show: (one) =>
      one.group ? (
        <>
          <Link to="/groups/$group" params={{ group: one.group }} className="text-accent hover:underline">
            {one.group}
          </Link>
          <div className="text-muted text-sm">
            {one.role}
            {one.lag_ms !== null && one.lag_ms > 1000 ? `, lags by ${duration(Math.round(one.lag_ms))}` : ""}
          </div>
        </>
      ) : null,
  },
  {
    ...{ id: "now", heading: "last minute", value: (one: Server) => one.load_now },
    show: (one) => <LastMinute server={one} />,
  },
];

const Trouble = ({ server }: { readonly server: Server }) => (
  <div className="max-w-60 min-w-40 whitespace-normal">
    <span className={server.state === "away" || server.state === "stale" ? "text-danger" : ""}>
      {STATES[server.state] ?? server.state}
    </span>
    {server.state_message ? <div className="text-muted text-sm">{server.state_message}</div> : null}
    {server.lead && !server.state_message ? (
      <Link
        to="/servers/$server/leads"
        params={{ server: String(server.id) }}
        title={server.lead}
        className="text-danger block truncate text-sm font-semibold underline"
      >
        {server.lead}
      </Link>
    ) : null}
    {server.trouble_words && !server.lead && !server.state_message ? (
      <div className="text-danger flex items-baseline gap-1 text-sm font-semibold">
        <TriangleAlert size={12} className="shrink-0 self-center" aria-hidden="true" />
        {server.trouble_words}
      </div>
    ) : null}
  </div>
);

const LastMinute = ({ server }: { readonly server: Server }) =>
  server.load_now === null ? (
    <span className="text-muted">not sampled</span>
  ) : (
    <>
      <b className="font-semibold">{sessions(server.load_now)}</b> active, {sessions(server.running_now ?? 0)} running
      <div className="text-muted text-sm">
        {server.cores ? `${server.cores} cores, ` : ""}
        {server.main_wait && isKind(server.main_wait) ? `mainly ${KIND_WORDS[server.main_wait]}` : "no wait stands out"}
      </div>
    </>
  );

const Load = ({ server, found }: { readonly server: Server; readonly found: Found }) => {
  const load = loadOf(found, server.id);
  if (!load) return <div className="h-[44px] w-[170px]" />;
  return (
    <Spark
      load={load}
      width={170}
      height={44}
      label={`load of ${server.name} in this window; running above the line, waiting below`}
    />
  );
};

const Indicator = ({ of }: { readonly of: Figure | undefined }) => {
  if (of === undefined) return null;
  const { unit, cell } = of;
  if (cell.mean === null) return <span className="text-muted">not read</span>;
  const change = changeWords(cell.yesterday.ratio, cell.yesterday.difference);
  return (
    <>
      <span className="flex items-center gap-2">
        <b className="font-semibold">{figure(cell.mean, unit)}</b>
        <Tide values={cell.values} usual={yesterdayOf(cell)} width={48} height={18} />
      </span>
      <span className="text-muted text-sm">{againstYesterday(change)}</span>
    </>
  );
};

function againstYesterday(change: string): string {
  if (change === "") return "yesterday unknown";
  return change === "same" ? "as yesterday" : `${change} on yesterday`;
}

const Fresh = ({ server }: { readonly server: Server }) => (
  <>
    {server.freshness_ms === null ? (
      <span className="text-muted">none yet</span>
    ) : (
      `${duration(Math.round(server.freshness_ms / 100) * 100)} old`
    )}
    {server.sample_ms_median === null ? null : (
      <div
        className="text-muted text-sm"
        title={`how long the server takes to answer; 1 in 20 over ${duration(server.sample_ms_p95 ?? 0)}`}
      >
        takes {duration(server.sample_ms_median)}
      </div>
    )}
  </>
);
