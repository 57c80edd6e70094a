import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { REQUEST_FINDINGS } from "../../lib/words/request_findings";
import { stamp } from "../../lib/time";
import { duration, counted } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer, AnswerState } from "../../ui/Answer";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import { readSort, writeSort } from "../../ui/table/table";
import { LayerChart } from "./LayerChart";
import { LayerSums } from "./LayerBar";
import { OnlyChoices } from "./OnlyChoices";
import { Attributes, Estimated } from "./Attributes";
import { type Notes, endpointColumns } from "./columns";
import { THAN, endpointsQuery, notedQuery } from "./queries";
import type { EndpointsSearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly role: string;
  readonly search: EndpointsSearch;
  readonly onSearch: (change: Partial<EndpointsSearch>) => void;
}

/** Endpoints and jobs by the time they take, where that goes, and what is found of each. */
export const EndpointsPage = ({ server, role, search, onSearch }: Props) => {
  const than = THAN.find((one) => one.value === search.than)?.value ?? "";
  const found = useQuery(endpointsQuery(server, windowOf(search), search, than));
  const noted = useQuery(notedQuery(server, windowOf(search), search));
  const notes = new Map(noted.data?.endpoints.map((one) => [one.endpoint_id, one]));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="requests of this window">
        {(data) => (
          <>
            <div className="flex items-baseline justify-between gap-4">
              <h1 className="text-base font-semibold">{headline(data)}</h1>
              <span className="shrink-0 text-sm">
                compared with{" "}
                <Choice
                  label="compared with"
                  value={than}
                  options={THAN}
                  onChange={(value) => onSearch({ than: value })}
                />
              </span>
            </div>
            <div className="flex flex-wrap items-baseline justify-between gap-x-4">
              {data.requests > 0 ? (
                <LayerSums layers={data.layers} />
              ) : (
                <NoRequests server={server} role={role} data={data} />
              )}
              <span className="flex shrink-0 gap-4 text-sm">
                <OnlyChoices choices={data.choices} only={search} onOnly={onSearch} />
                <Attributes
                  server={server}
                  endpoint={null}
                  search={search}
                  onAttributes={(attribute) => onSearch({ attribute })}
                />
              </span>
            </div>
            <Estimated of="what is found and usual" attribute={search.attribute ?? []} />
            <AnswerState of={noted} what="what is found" />
            <Found data={data} notes={notes} server={server} search={search} />
            {data.endpoints.length ? (
              <DataTable
                id="endpoints"
                label="endpoints"
                columns={endpointColumns(data.endpoints, notes, than !== "")}
                rows={data.endpoints}
                rowKey={(one) => String(one.id)}
                sort={readSort(search.ranked, "time")}
                onSort={(sort) => onSearch({ ranked: writeSort(sort) })}
                className="mt-2"
                link={(one, words, className) => (
                  <Link
                    to="/servers/$server/endpoints/$endpoint"
                    params={{ server: String(server), endpoint: String(one.id) }}
                    search={search}
                    className={className}
                  >
                    {words}
                  </Link>
                )}
              />
            ) : null}
            {data.requests > 0 ? (
              <div className="mt-4">
                <LayerChart page={data.series} />
              </div>
            ) : null}
          </>
        )}
      </Answer>
    </div>
  );
};

const headline = (data: Schemas["EndpointsOut"]): string =>
  data.requests > 0
    ? `${counted(data.requests, "request")} took ${duration(data.time_ms)}. ${data.verdict}`
    : "No request in this window.";

/** What is found of any endpoint, those that take most time first. */
const Found = ({
  data,
  notes,
  server,
  search,
}: {
  readonly data: Schemas["EndpointsOut"];
  readonly notes: Notes;
  readonly server: number;
  readonly search: EndpointsSearch;
}) => {
  const all = data.endpoints.flatMap((one) => (notes.get(one.id)?.found ?? []).map((found) => ({ one, found })));
  if (all.length === 0) return null;
  return (
    <ul className="mt-2 border-l-2 pl-3" aria-label="what is found">
      {all.slice(0, 5).map(({ one, found }) => (
        <li key={`${one.id} ${found.kind}`} className="truncate">
          <Link
            to="/servers/$server/endpoints/$endpoint"
            params={{ server: String(server), endpoint: String(one.id) }}
            search={search}
            className="text-accent underline"
          >
            {one.endpoint}
          </Link>
          {": "}
          <b className="font-semibold">{REQUEST_FINDINGS[found.kind]}</b>, {found.detail}
          {found.attribute ? ` (${found.attribute})` : ""}
        </li>
      ))}
    </ul>
  );
};

/** Why there is nothing to see, and what to do about it. */
const NoRequests = ({
  server,
  role,
  data,
}: {
  readonly server: number;
  readonly role: string;
  readonly data: Schemas["EndpointsOut"];
}) => (
  <p className="text-muted py-4">
    {data.newest !== null
      ? `The newest request is of ${stamp(data.newest)}.`
      : data.sources > 0
        ? "Its source has sent no trace yet. A trace is shown some seconds after it has ended."
        : "Here will be the endpoints of the application, with where their time goes. It sends OpenTelemetry traces to /v1/traces with a token. "}
    {data.newest === null && data.sources === 0 ? (
      role === "admin" ? (
        <Link to="/servers/$server/settings" params={{ server: String(server) }} className="text-accent underline">
          make a token in the settings
        </Link>
      ) : (
        "An admin can make one in the settings."
      )
    ) : null}
  </p>
);
