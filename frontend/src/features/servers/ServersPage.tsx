import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { TriangleAlert } from "lucide-react";
import { Suspense, lazy, useState } from "react";

import type { Schemas } from "../../api/client";
import { serversQuery } from "../../api/queries";
import { KIND_WORDS, isKind } from "../../charts/kinds";
import { ExportMenu } from "../../charts/ExportMenu";
import { Spark } from "../../charts/Spark";
import { duration, sessions } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { type Order, ordered, serversTable } from "./model";
import { AnswerState } from "../../ui/Answer";

const ConnectDialog = lazy(() => import("./ConnectDialog").then((m) => ({ default: m.ConnectDialog })));

const ORDERS = [
  { value: "trouble", label: "trouble" },
  { value: "load", label: "load" },
  { value: "name", label: "name" },
] as const;

/** All servers, those in trouble first: what is wrong, load now and lately, group, freshness. */
export const ServersPage = ({ canConnect }: { readonly canConnect: boolean }) => {
  const servers = useQuery(serversQuery);
  const [connecting, setConnecting] = useState<boolean | null>(null); // null: not yet asked for
  const [order, setOrder] = useState<Order>("trouble");
  const [containing, setContaining] = useState("");
  const every = servers.data?.servers ?? [];
  const all = ordered(every, order).filter((one) => `${one.name} ${one.group}`.includes(containing));
  return (
    <div className="mx-auto max-w-[1280px] px-6 py-5">
      <div className="mb-3 flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">Servers</h1>
        <span className="flex items-baseline gap-4">
          {every.length > 8 ? (
            <input
              value={containing}
              placeholder="name or group"
              aria-label="only servers whose name or group contains"
              onChange={(event) => setContaining(event.target.value)}
              className="border-line bg-raised border px-2"
            />
          ) : null}
          <ExportMenu name="servers" table={() => serversTable(all)} />
          <span className="text-muted text-sm">
            sorted by <Choice label="sorted by" value={order} options={ORDERS} onChange={setOrder} />
          </span>
          {canConnect ? <Button onClick={() => setConnecting(true)}>connect a server</Button> : null}
        </span>
      </div>
      <AnswerState of={servers} what="the servers" />
      <CollectorNotice servers={servers.data} />
      {servers.data && every.length === 0 ? (
        <p className="text-muted">
          Here will be every watched server with its load.{" "}
          {canConnect ? "Connect the first one with the button above." : "An admin can connect one."}
        </p>
      ) : null}
      {all.length > 0 ? (
        <table className="font-condensed w-full">
          <thead>
            <tr className="border-strong text-muted border-b text-left text-sm">
              <th className="py-1 font-normal">server</th>
              <th className="font-normal">state</th>
              <th className="font-normal">group</th>
              <th className="font-normal">last minute</th>
              <th className="font-normal">last 15 minutes</th>
              <th className="pl-4 font-normal">newest sample</th>
            </tr>
          </thead>
          <tbody className={servers.isPlaceholderData ? "opacity-50" : ""}>
            {all.map((server) => (
              <ServerRow key={server.id} server={server} />
            ))}
          </tbody>
        </table>
      ) : null}
      <Suspense fallback={null}>
        {connecting === null ? null : <ConnectDialog open={connecting} onClose={() => setConnecting(false)} />}
      </Suspense>
    </div>
  );
};

const STATES: Readonly<Record<string, string>> = {
  new: "waiting for the collector",
  watching: "watched",
  stale: "no samples lately",
  away: "cannot be reached",
};

const ServerRow = ({ server }: { readonly server: Schemas["ServerOut"] }) => (
  <tr className="border-line border-b align-top">
    <td className="py-2">
      <Link
        to="/servers/$server/load"
        params={{ server: String(server.id) }}
        className="text-accent font-semibold hover:underline"
      >
        {server.name}
      </Link>
      <div className="text-muted text-sm">
        {server.version ? `PostgreSQL ${server.version.split(" ")[0] ?? ""}, ` : ""}
        {server.database} at {server.address}
      </div>
    </td>
    <td className="py-2 pr-4">
      <span className={server.state === "away" || server.state === "stale" ? "text-danger" : ""}>
        {STATES[server.state] ?? server.state}
      </span>
      {server.state_message ? <div className="text-muted max-w-64 text-sm">{server.state_message}</div> : null}
      {server.trouble_words && !server.state_message ? (
        <div className="text-danger flex max-w-64 items-baseline gap-1 text-sm font-semibold">
          <TriangleAlert size={12} className="shrink-0 self-center" aria-hidden="true" />
          {server.trouble_words}
        </div>
      ) : null}
    </td>
    <td className="py-2 pr-4 text-sm">
      {server.group ? (
        <Link to="/groups/$group" params={{ group: server.group }} className="text-accent hover:underline">
          {server.group}
        </Link>
      ) : null}
      {server.group ? <div className="text-muted">{server.role}</div> : null}
      {server.lag_ms !== null && server.lag_ms > 1000 ? <div>lags by {duration(Math.round(server.lag_ms))}</div> : null}
    </td>
    <td className="py-2 pr-4">
      {server.load_now === null ? (
        <span className="text-muted">not sampled</span>
      ) : (
        <>
          <b className="font-semibold">{sessions(server.load_now)}</b> active, {sessions(server.running_now ?? 0)}{" "}
          running
          {server.cores ? ` on ${server.cores} cores` : ""}
          <div className="text-muted text-sm">
            {server.main_wait && isKind(server.main_wait)
              ? `mainly ${KIND_WORDS[server.main_wait]}`
              : "no wait stands out"}
          </div>
        </>
      )}
    </td>
    <td className="py-1">
      <Spark
        load={server.recent}
        width={300}
        height={48}
        label={`load of ${server.name} over 15 minutes; running above the line, waiting below`}
      />
    </td>
    <td className="py-2 pl-4">
      {server.freshness_ms === null ? (
        <span className="text-muted">older than 15 min</span>
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
    </td>
  </tr>
);

const CollectorNotice = ({ servers }: { readonly servers: Schemas["ServersOut"] | undefined }) => {
  if (!servers) return null;
  if (servers.collector_away !== null)
    return (
      <Failure
        title="The collector is not running"
        detail={`It last showed a sign of life ${duration(servers.collector_away * 1000)} ago. Until it is back nothing is sampled; what is stored stays.`}
        remedy="./faena collect"
      />
    );
  if (servers.readings_waiting > 50)
    return (
      <p className="text-muted mb-2">
        The collector keeps {servers.readings_waiting} readings that are not stored yet.
      </p>
    );
  return null;
};
