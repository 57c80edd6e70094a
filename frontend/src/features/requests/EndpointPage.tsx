import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";

import type { Schemas } from "../../api/client";
import { REQUEST_FINDINGS } from "../../lib/words/request_findings";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { Attributes, Estimated } from "./Attributes";
import { Beside } from "./Beside";
import { LayerChart } from "./LayerChart";
import { OnlyChoices } from "./OnlyChoices";
import { LayerSums } from "./LayerBar";
import { Spread } from "./Spread";
import { Target } from "./Target";
import { callColumns, rate, statementColumns } from "./columns";
import { againstUsual, type Usual, usualWords } from "./model";
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
            <>
              <h1 className="text-base font-semibold">
                {data.before ? `${data.before.endpoint}: no request in this window.` : "No request in this window."}
              </h1>
              {search.attribute ? (
                <Attributes {...{ server, endpoint, search }} onAttributes={(attribute) => onSearch({ attribute })} />
              ) : null}
            </>
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
        <Attributes
          server={server}
          endpoint={now.id}
          search={search}
          onAttributes={(attribute) => onSearch({ attribute })}
        />
        <OnlyChoices choices={narrowing(page.choices)} only={search} onOnly={(only) => onSearch(only)} />
        <Target server={server} endpoint={now} canAct={role === "operator" || role === "admin"} />
      </span>
    </div>
    <p>{now.verdict}</p>
    <Compared now={now} before={page.before} noted={page.noted} />
    <Estimated of="statements, calls, and what is found and usual" attribute={search.attribute ?? []} />
    <ul aria-label="what is found">
      {(page.noted?.found ?? []).map((found) => (
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
    {search.attribute?.length ? null : <Ran server={server} page={page} />}
    <Spread server={server} endpoint={now.id} search={search} onSearch={onSearch} slowest={page.singles} />
  </>
);

/** The statements of its requests, and their calls. */
const Ran = ({ server, page }: { readonly server: number; readonly page: Page }) => (
  <>
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
  </>
);

interface ComparedProps {
  readonly now: ToldProps["now"];
  readonly before: Page["before"];
  readonly noted: Page["noted"];
}

/** The figures of the window beside those of the one before, and what is usual of them. */
const Compared = ({ now, before, noted }: ComparedProps) => {
  const figures: readonly (readonly [string, string, string | null, ReactNode?])[] = [
    [
      "requests",
      rate(now.per_second),
      before ? rate(before.per_second) : null,
      <AgainstUsual key="usual" now={now.per_second} usual={noted?.usual_per_second ?? null} show={rate} />,
    ],
    [
      "mean",
      duration(now.mean_ms),
      before ? duration(before.mean_ms) : null,
      <AgainstUsual key="usual" now={now.mean_ms} usual={noted?.usual_mean_ms ?? null} show={duration} />,
    ],
    ["95%", duration(now.p95_ms ?? 0), before ? duration(before.p95_ms ?? 0) : null],
    ["statements each", now.statements.toPrecision(3), before ? before.statements.toPrecision(3) : null],
    ["failed", count(now.errors), before ? count(before.errors) : null],
    ["satisfied", (now.satisfaction ?? 0).toFixed(2), before ? (before.satisfaction ?? 0).toFixed(2) : null],
  ];
  return (
    <dl className="my-1 flex flex-wrap gap-x-6">
      {figures.map(([name, value, earlier, usual]) => (
        <div key={name} className="flex gap-1.5">
          <dt className="text-muted">{name}</dt>
          <dd>
            <b className="font-semibold">{value}</b>
            {earlier === null ? null : <span className="text-muted text-sm"> before {earlier}</span>}
            {usual}
          </dd>
        </div>
      ))}
    </dl>
  );
};

interface AgainstUsualProps {
  readonly now: number;
  readonly usual: Usual;
  readonly show: (figure: number) => string;
}

/** What is usual beside a figure, stronger where the figure lies outside of it; nothing while it is not known. */
const AgainstUsual = ({ now, usual, show }: AgainstUsualProps) => {
  const words = againstUsual(now, usual);
  if (words === null || usual === null) return null;
  const range = `${show(usual.low)} to ${show(usual.high)}`;
  return (
    <span className="text-muted text-sm" title={usualWords(usual, show)}>
      {" "}
      {words === "as usual" ? (
        `usual ${range}`
      ) : (
        <b className="text-ink font-semibold">{`${words} of usual (${range})`}</b>
      )}
    </span>
  );
};
