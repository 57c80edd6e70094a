import { keepPreviousData, queryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { ask, client, type Schemas } from "../../api/client";
import { serversQuery } from "../../api/queries";
import { present, when } from "../../lib/time";
import { counted } from "../../lib/units";
import { around } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { TroublesSearch } from "./alerts.route";

export type Trouble = Schemas["TroubleOut"];

interface Props {
  readonly search: TroublesSearch;
  readonly onSearch: (change: Partial<TroublesSearch>) => void;
}

const KINDS = ["", "alert", "lead", "pattern"] as const;
const WORDS = { "": "all", alert: "alerts", lead: "leads", pattern: "deadlock patterns" } as const;
type Kind = (typeof KINDS)[number];
const isKind = (text: string): text is Kind => (KINDS as readonly string[]).includes(text);

export const troublesQuery = (kind: string, server: string) =>
  queryOptions({
    queryKey: ["troubles", kind, server],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/troubles", {
          params: {
            query: {
              ...(kind && isKind(kind) && kind !== "" ? { kind } : {}),
              ...(server ? { server: Number(server) } : {}),
            },
          },
          signal,
        }),
      ),
    meta: { againMs: 20_000 },
    placeholderData: keepPreviousData,
  });

/** Leads, deadlock patterns and alerts of all servers, of two weeks: what nobody has dealt with first. */
export const TroublesPage = ({ search, onSearch }: Props) => {
  const kind = search.troubles ?? "";
  const server = search.among ?? "";
  const found = useQuery(troublesQuery(kind, server));
  const servers = useQuery(serversQuery);
  const names = (servers.data?.servers ?? []).map((one) => ({ value: String(one.id), label: one.name }));
  return (
    <div className="pane px-6 pt-3 pb-6">
      <p className="text-muted text-sm">
        <Link to="/alerts" className="text-accent underline">
          alerts
        </Link>
      </p>
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">
          {found.data ? sentence(found.data, Boolean(kind || server)) : "Troubles of two weeks"}
        </h1>
        <span className="flex items-baseline gap-6 text-sm">
          <span>
            show{" "}
            <Choice
              label="kinds of troubles"
              value={isKind(kind) ? kind : ""}
              options={KINDS.map((value) => ({ value, label: WORDS[value] }))}
              onChange={(troubles) => onSearch({ troubles })}
            />
          </span>
          <span>
            of{" "}
            <Choice
              label="server of the troubles"
              value={server}
              options={[{ value: "", label: "all servers" }, ...names]}
              onChange={(among) => onSearch({ among })}
            />
          </span>
        </span>
      </div>
      <Answer of={found} what="the troubles">
        {(rows) =>
          rows.length === 0 ? (
            <p className="text-muted mt-4">No lead, deadlock or alert of these is known in two weeks.</p>
          ) : (
            <DataTable
              id="troubles"
              label="troubles of all servers"
              columns={COLUMNS}
              rows={rows}
              most={MOST}
              rowKey={(one) => `${one.kind} ${one.server} ${one.key}`}
              sort={{ by: "state", descending: false }}
              manual
            />
          )
        }
      </Answer>
    </div>
  );
};

const MOST = 500; // the API tells no more

/** How many nobody has dealt with. Of some alone nothing is said of all. */
export const sentence = (rows: readonly Trouble[], some = false): string => {
  if (rows.length === 0) return "Troubles of two weeks";
  const unread = rows.filter((one) => one.unread).length;
  const many =
    rows.length < MOST ? counted(rows.length, some ? "such trouble" : "trouble") : `${MOST} troubles or more`;
  return `${many} in two weeks, ${unread === 0 ? "all dealt with" : `${unread} not dealt with`}.`;
};

const HALF_HOUR_S = 1800;

const To = ({ of }: { readonly of: Trouble }) => {
  const look = of.unread ? "text-accent font-semibold hover:underline" : "text-accent hover:underline";
  const params = { server: String(of.server), pattern: of.key };
  const then = around({ last: HALF_HOUR_S }, of.last, of.last, present());
  if (of.kind === "alert")
    return (
      <Link to="/alerts/$alert" params={{ alert: of.key }} className={look}>
        {of.title}
      </Link>
    );
  if (of.kind === "pattern")
    return (
      <Link to="/servers/$server/deadlocks/$pattern" params={params} search={then as never} className={look}>
        {of.title}
      </Link>
    );
  return (
    <Link to="/servers/$server/leads" params={params} search={then} className={look}>
      {of.title}
    </Link>
  );
};

const HOUR_PX = 3;
const TALL_PX = 16;

/** How often it came by hour of the day: what comes every night at three is seen as that. */
export const Hours = ({ of }: { readonly of: Trouble }) => {
  const most = Math.max(1, ...of.hours);
  const busiest = of.hours.indexOf(most);
  const words = of.times > 1 && busiest >= 0 ? `most at ${busiest}:00, ${most} of ${of.times} times` : "";
  return (
    <svg width={24 * HOUR_PX} height={TALL_PX} role="img" aria-label={words || "by hour of the day"}>
      <title>{words || "by hour of the day"}</title>
      <line x1="0" x2={24 * HOUR_PX} y1={TALL_PX - 0.5} y2={TALL_PX - 0.5} stroke="var(--line)" />
      {of.hours.map((many, hour) =>
        many === 0 ? null : (
          <rect
            key={hour}
            x={hour * HOUR_PX}
            width={HOUR_PX - 1}
            y={TALL_PX - Math.max(2, (many / most) * TALL_PX)}
            height={Math.max(2, (many / most) * TALL_PX)}
            fill="var(--running)"
          />
        ),
      )}
    </svg>
  );
};

const COLUMNS: Column<Trouble>[] = [
  { id: "kind", heading: "kind", value: (one) => one.kind_label },
  {
    ...{ id: "title", heading: "trouble", wide: true, value: (one: Trouble) => one.title },
    say: (one) => one.title,
    show: (one) => <To of={one} />,
  },
  { id: "server", heading: "server", value: (one) => one.server_name },
  { id: "times", heading: "times", align: "right", value: (one) => one.times },
  {
    ...{ id: "hours", heading: "by hour of the day", value: () => null },
    show: (one) => <Hours of={one} />,
  },
  {
    ...{ id: "last", heading: "last", value: (one: Trouble) => one.last },
    show: (one) => when(one.last, false),
  },
  { id: "state", heading: "state", value: (one) => one.state },
];
