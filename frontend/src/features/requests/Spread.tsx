import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { Density } from "../../charts/Density";
import type { Region } from "../../charts/geometry/density";
import { readRegion, regionWords, writeRegion } from "../../charts/region";
import { REQUEST_MARKS } from "../../lib/words/request_marks";
import { present } from "../../lib/time";
import { count, counted } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer, AnswerState } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { singleColumns } from "./columns";
import { Sides } from "./Sides";
import { percent } from "./layers";
import { chanceWords, spreadSentence } from "./model";
import { pickedQuery, spreadQuery } from "./queries";
import type { EndpointSearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly endpoint: number;
  readonly search: EndpointSearch;
  readonly onSearch: (change: Partial<EndpointSearch>) => void;
  readonly slowest: readonly Schemas["SingleOut"][];
}

/** Single requests over time and duration; what a part of them has in common that the others have not; each of them. */
export const Spread = ({ server, endpoint, search, onSearch, slowest }: Props) => {
  const whole = useQuery(spreadQuery(server, endpoint, windowOf(search), search));
  const found = whole.data;
  // A window that follows moves on: what is picked stays until all of it has left.
  const asked = found ? readRegion(search.region, { start: 0, end: found.end }) : null;
  const region = found && asked && asked.to > found.start ? asked : null;
  const part = useQuery({
    ...pickedQuery(server, endpoint, windowOf(search), search, region),
    enabled: region !== null,
  });
  const singles = region && part.data ? part.data.singles : slowest;
  return (
    <section className="mt-4" aria-label="Requests by duration">
      <h2 className="border-strong border-b font-semibold">Requests by duration</h2>
      <AnswerState of={whole} what="single requests" />
      {found && found.drawn === 0 ? <p className="text-muted">Of this window no single request is kept.</p> : null}
      {found && found.drawn > 0 ? (
        <>
          <p className="py-1 text-sm">{spreadSentence(found)}</p>
          <div className="grid grid-cols-[minmax(0,1fr)_460px] gap-x-6">
            <div className="h-[300px]">
              <Density
                what="requests"
                found={found}
                marks={[]}
                reading={spreadSentence(found)}
                now={present()}
                region={region}
                onRegion={(next) => onSearch({ region: writeRegion(next) })}
              />
            </div>
            {region ? (
              <Answer of={part} what="what these have in common" className="min-w-0">
                {(data) => (
                  <Picked
                    found={data}
                    region={region}
                    onAll={() => onSearch({ region: "" })}
                    onAttribute={(one) => onSearch({ attribute: [...(search.attribute ?? []), one], region: "" })}
                  />
                )}
              </Answer>
            ) : (
              <p className="text-muted text-sm">
                Draw over the slow few, or press a bar at the right of the picture: here stands then what they have in
                common that the others have not.
              </p>
            )}
          </div>
          <Singles server={server} search={search} rows={singles} picked={region !== null} />
        </>
      ) : null}
    </section>
  );
};

interface PickedProps {
  readonly found: Schemas["PickedOut"];
  readonly region: Region;
  readonly onAll: () => void;
  readonly onAttribute: (attribute: string) => void;
}

const side = (heading: string, of: Schemas["SideOut"]) => ({ ...of, heading, requests: of.kept && of.requests });

/** The picked beside the others: their layers, and what more of them have. */
const Picked = ({ found, region, onAll, onAttribute }: PickedProps) => (
  <div className="text-sm">
    <p>
      <b className="font-semibold">{count(Math.round(found.picked.requests))}</b> requests, {regionWords(region)}{" "}
      <Button className="ml-1 text-xs" onClick={onAll}>
        all again
      </Button>
    </p>
    <div className="my-2">
      <Sides
        label="the picked beside the others"
        first={side("picked", found.picked)}
        second={side(`${count(Math.round(found.others.requests))} others`, found.others)}
      />
    </div>
    {found.common.length ? (
      <DataTable
        id="in-common"
        label="what they have in common"
        columns={commonColumns(onAttribute)}
        rows={found.common}
        rowKey={(one) => `${one.kind} ${one.label}`}
        sort={{ by: "chance", descending: false }}
      />
    ) : (
      <p className="text-muted">
        {found.picked.kept < FEW_PICKED
          ? "These are too few to say what they have in common."
          : "They have nothing in common that chance would not give as well: no attribute that is kept, no statement, no call."}
      </p>
    )}
    {found.more ? <p className="text-muted">and {count(found.more)} more.</p> : null}
  </div>
);

const FEW_PICKED = 3;

type Common = Schemas["CommonOut"];

const commonColumns = (onAttribute: (attribute: string) => void): Column<Common>[] => [
  {
    ...{ id: "what", heading: "more of them have", wide: true, value: (one: Common) => one.label },
    say: (one) => `${REQUEST_MARKS[one.kind]}: ${one.label}`,
    show: (one) => (
      <>
        {one.kind === "attribute" ? (
          <button
            type="button"
            className="hover:text-accent underline"
            title="only requests with this attribute"
            onClick={() => onAttribute(one.label)}
          >
            {one.label}
          </button>
        ) : (
          <>
            <span className="text-muted">{REQUEST_MARKS[one.kind]} </span>
            {one.label}
          </>
        )}
      </>
    ),
  },
  {
    ...{ id: "picked", heading: "picked", align: "right" as const, value: (one: Common) => one.picked_share },
    say: (one) => counted(Math.round(one.picked), "request"),
    show: (one) => <b className="font-semibold">{percent(one.picked_share, 1)}</b>,
  },
  {
    ...{ id: "others", heading: "others", align: "right" as const, value: (one: Common) => one.others_share },
    say: (one) => counted(Math.round(one.others), "request"),
    show: (one) => percent(one.others_share, 1),
  },
  {
    ...{ id: "chance", heading: "by chance", align: "right" as const, value: (one: Common) => one.chance },
    title: "how likely so large a difference of any attribute is if attributes mean nothing: Fisher's exact test",
    show: (one) => chanceWords(one.chance),
  },
];

interface SinglesProps {
  readonly server: number;
  readonly search: EndpointSearch;
  readonly rows: readonly Schemas["SingleOut"][];
  readonly picked: boolean;
}

const SHOWN = 30;

const Singles = ({ server, search, rows, picked }: SinglesProps) => (
  <div className="mt-3">
    <h3 className="font-semibold">{picked ? "The slowest of these" : "The slowest that are kept"}</h3>
    <DataTable
      id="endpoint-requests"
      label="slowest requests"
      columns={singleColumns(rows)}
      rows={rows.slice(0, SHOWN)}
      rowKey={(one) => `${one.trace} ${one.top}`}
      sort={{ by: "took", descending: true }}
      link={(one, words, className) => (
        <Link
          to="/servers/$server/requests/$trace"
          params={{ server: String(server), trace: one.trace }}
          search={{ ...search, top: one.top }}
          className={className}
        >
          {words}
        </Link>
      )}
    />
  </div>
);
