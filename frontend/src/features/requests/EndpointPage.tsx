import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { REQUEST_FINDINGS } from "../../lib/words/request_findings";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { Beside } from "./Beside";
import { LayerChart } from "./LayerChart";
import { OnlyChoices } from "./OnlyChoices";
import { LayerSums } from "./LayerBar";
import { Spread } from "./Spread";
import { Target } from "./Target";
import { callColumns, rate, statementColumns } from "./columns";
import { endpointQuery } from "./queries";
import type { EndpointSearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly role: string;
  readonly endpoint: number;
  readonly search: EndpointSearch;
  readonly onSearch: (change: Partial<EndpointSearch>) => void;
}

type Page = Schemas["EndpointPageOut"];

/** One endpoint: where its time goes, what it runs and calls beside the window before, and its slowest requests. */
export const EndpointPage = ({ server, role, endpoint, search, onSearch }: Props) => {
  const found = useQuery(endpointQuery(server, endpoint, windowOf(search), search, search.beside ?? ""));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="this endpoint">
        {(data) =>
          data.now ? (
            <Told server={server} role={role} page={data} now={data.now} search={search} onSearch={onSearch} />
          ) : (
            <h1 className="text-base font-semibold">
              {data.before ? `${data.before.endpoint}: no request in this window.` : "No request in this window."}
            </h1>
          )
        }
      </Answer>
    </div>
  );
};

interface ToldProps extends Omit<Props, "endpoint"> {
  readonly page: Page;
  readonly now: Schemas["EndpointOut"];
}

/** An endpoint is of one service; what is left to choose are versions and hosts. */
const narrowing = (choices: Page["choices"]): Page["choices"] => ({ ...choices, service: [] });

const Told = ({ server, role, page, now, search, onSearch }: ToldProps) => (
  <>
    <div className="flex items-baseline justify-between gap-4">
      <h1 className="text-base font-semibold">
        {now.endpoint} <span className="text-muted font-normal">of {now.service}</span>
      </h1>
      <span className="flex shrink-0 items-baseline gap-4 text-sm">
        <OnlyChoices choices={narrowing(page.choices)} only={search} onOnly={(only) => onSearch(only)} />
        <Target server={server} endpoint={now} canAct={role === "operator" || role === "admin"} />
      </span>
    </div>
    <p>{now.verdict}</p>
    <Compared now={now} before={page.before} />
    <ul aria-label="what is found">
      {now.found.map((found) => (
        <li key={found.kind} className="border-l-2 pl-3">
          <b className="font-semibold">{REQUEST_FINDINGS[found.kind]}</b>: {found.detail}
          {found.attribute ? ` (${found.attribute})` : ""}
        </li>
      ))}
    </ul>
    <div className="mt-2">
      <LayerSums layers={now.layers} each={now.requests} />
      <LayerChart page={page.series} />
    </div>
    <Beside
      server={server}
      page={page}
      now={now}
      beside={search.beside ?? ""}
      version={search.version ?? ""}
      onBeside={(beside) => onSearch({ beside })}
    />
    <h2 className="border-strong mt-4 border-b font-semibold">Statements</h2>
    {page.statements.length ? (
      <DataTable
        id="endpoint-statements"
        label="statements of this endpoint"
        columns={statementColumns(server, page.statements_before)}
        rows={page.statements}
        rowKey={(one) => String(one.id)}
        sort={{ by: "share", descending: true }}
      />
    ) : (
      <p className="text-muted">Its requests ran no statement that a trace tells of.</p>
    )}
    <div className="mt-4">
      <section>
        <h2 className="border-strong border-b font-semibold">Calls</h2>
        {page.calls.length ? (
          <DataTable
            id="endpoint-calls"
            label="calls of this endpoint"
            columns={callColumns(server, false)}
            rows={page.calls}
            rowKey={(one) => `${one.layer} ${one.to}`}
            sort={{ by: "time", descending: true }}
          />
        ) : (
          <p className="text-muted">Its requests called nobody else.</p>
        )}
      </section>
    </div>
    <Spread server={server} endpoint={now.id} search={search} onSearch={onSearch} slowest={page.singles} />
  </>
);

/** The figures of the window beside those of the one before. */
const Compared = ({ now, before }: { readonly now: ToldProps["now"]; readonly before: Page["before"] }) => {
  const figures: readonly (readonly [string, string, string | null])[] = [
    ["requests", rate(now.per_second), before ? rate(before.per_second) : null],
    ["mean", duration(now.mean_ms), before ? duration(before.mean_ms) : null],
    ["95%", duration(now.p95_ms ?? 0), before ? duration(before.p95_ms ?? 0) : null],
    ["statements each", now.statements.toPrecision(3), before ? before.statements.toPrecision(3) : null],
    ["failed", count(now.errors), before ? count(before.errors) : null],
    ["satisfied", (now.satisfaction ?? 0).toFixed(2), before ? (before.satisfaction ?? 0).toFixed(2) : null],
  ];
  return (
    <dl className="my-1 flex flex-wrap gap-x-6">
      {figures.map(([name, value, earlier]) => (
        <div key={name} className="flex gap-1.5">
          <dt className="text-muted">{name}</dt>
          <dd>
            <b className="font-semibold">{value}</b>
            {earlier === null ? null : <span className="text-muted text-sm"> before {earlier}</span>}
          </dd>
        </div>
      ))}
    </dl>
  );
};
