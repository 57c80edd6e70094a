import { useQuery } from "@tanstack/react-query";
import { Suspense, lazy, useCallback, useMemo, useRef, useState } from "react";

import type { Schemas } from "../../api/client";
import { serversQuery } from "../../api/queries";
import { duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { INDICATORS } from "../../lib/words/indicators";
import { AnswerState } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { DataTable } from "../../ui/table/DataTable";
import { readSort, writeSort } from "../../ui/table/table";
import { isShown } from "../../ui/table/columns";
import { useLayouts } from "../../ui/table/layouts";
import { serverColumns } from "./columns";
import { FEW_SERVERS, INDICATOR_NAMES, MOST_SERVERS, indicatorsQuery, isIndicator } from "./indicators";
import type { ServersSearch } from "./servers.route";

const ConnectDialog = lazy(() => import("./ConnectDialog").then((m) => ({ default: m.ConnectDialog })));
const OneFigure = lazy(() => import("./OneFigure").then((m) => ({ default: m.OneFigure })));

interface Props {
  readonly canConnect: boolean;
  readonly search: ServersSearch;
  readonly onSearch: (change: Partial<ServersSearch>) => void;
}

/** All servers, those in trouble first: what is wrong, load now and in the window, and the indicators one wants to see. */
export const ServersPage = ({ canConnect, search, onSearch }: Props) => {
  const servers = useQuery(serversQuery);
  const [connecting, setConnecting] = useState<boolean | null>(null); // null: not yet asked for
  const [containing, setContaining] = useState("");
  const every = servers.data?.servers ?? NONE;
  const all = useMemo(
    () => every.filter((one) => `${one.name} ${one.group}`.includes(containing)),
    [every, containing],
  );
  const { indicators, onSight } = useIndicators(all, search);
  const columns = useMemo(() => serverColumns(indicators.data), [indicators.data]);
  const shown = isIndicator(search.figure) ? search.figure : null;
  return (
    <div className="flex h-full min-h-0 flex-col px-6 py-3">
      <div className="mb-1 flex items-baseline justify-end gap-4">
        {every.length > 8 ? (
          <input
            value={containing}
            placeholder="name or group"
            aria-label="only servers whose name or group contains"
            onChange={(event) => setContaining(event.target.value)}
            className="border-line bg-raised border px-2"
          />
        ) : null}
        {every.length > 0 ? (
          <span className="text-muted text-sm">
            on one chart:{" "}
            <Choice
              label="indicator of all servers on one chart"
              value={shown ?? ""}
              options={[
                { value: "", label: "none" },
                ...INDICATOR_NAMES.map((name) => ({ value: name, label: INDICATORS[name] })),
              ]}
              onChange={(figure) => onSearch({ figure })}
            />
          </span>
        ) : null}
        {canConnect ? <Button onClick={() => setConnecting(true)}>connect a server</Button> : null}
      </div>
      <AnswerState of={servers} what="the servers" />
      {every.length > 0 ? <AnswerState of={indicators} what="load and indicators" /> : null}
      <CollectorNotice servers={servers.data} />
      {servers.data && every.length === 0 ? (
        <p className="text-muted">
          Here will be every watched server with its load.{" "}
          {canConnect ? "Connect the first one with the button above." : "An admin can connect one."}
        </p>
      ) : null}
      <Suspense fallback={null}>
        {shown && indicators.data ? <OneFigure name={shown} found={indicators.data} /> : null}
        {connecting === null ? null : <ConnectDialog open={connecting} onClose={() => setConnecting(false)} />}
      </Suspense>
      {all.length > 0 ? (
        <DataTable
          id="servers"
          label="servers"
          columns={columns}
          rows={all}
          rowKey={(one) => String(one.id)}
          sort={readSort(search.order, "trouble")}
          onSort={(sort) => onSearch({ order: writeSort(sort) })}
          rowPx={54}
          onSight={onSight}
          className={`min-h-0 grow ${servers.isPlaceholderData ? "opacity-50" : ""}`}
        />
      ) : null}
    </div>
  );
};

const NONE: readonly Schemas["ServerOut"][] = [];
const RESTS_MS = 150; // what is scrolled past is not asked for

/** Load and the indicators that are shown, of all servers or, where they are many, of those in sight. */
function useIndicators(all: readonly Schemas["ServerOut"][], search: ServersSearch) {
  const [sight, setSight] = useState<readonly string[]>([]);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const onSight = useCallback((keys: readonly string[]) => {
    clearTimeout(timer.current);
    timer.current = setTimeout(() => setSight(keys), RESTS_MS);
  }, []);
  const layout = useLayouts().of("servers");
  const names = INDICATOR_NAMES.filter((name) => {
    const column = serverColumns(undefined).find((one) => one.id === name);
    return name === search.figure || (column && isShown(column, layout));
  });
  const few = all.length <= FEW_SERVERS;
  const wanted = few ? all.map((one) => one.id) : sight.map(Number).slice(0, MOST_SERVERS);
  const asked = wanted.toSorted((a, b) => a - b);
  const indicators = useQuery({ ...indicatorsQuery(windowOf(search), asked, names), enabled: asked.length > 0 });
  return { indicators, onSight };
}

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
