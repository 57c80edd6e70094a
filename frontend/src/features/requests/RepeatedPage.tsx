import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { clock, when } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { repeatedColumns, statementText } from "./columns";
import { followersQuery, repeatedQuery } from "./queries";
import type { OnlySearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly search: OnlySearch;
}

/** One query, then one more for each of its rows: which statement, how often in a request, where in the code, at what cost. */
export const RepeatedPage = ({ server, search }: Props) => {
  const found = useQuery(repeatedQuery(server, windowOf(search), search));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="repeated statements">
        {({ statements, over_time }) => {
          const [worst] = statements;
          const times = (one: (typeof statements)[number]) => over_time[statements.indexOf(one)] ?? [];
          return (
            <>
              <h1 className="text-base font-semibold">
                {worst
                  ? `${worst.endpoint} runs one statement ${count(Math.round(worst.repeated_runs))} times in a request, ${duration(worst.repeated_ms)} in all.`
                  : "No request of this window ran a statement five times or more, batches apart."}
              </h1>
              <p className="text-muted text-sm">
                Told by traces: the same statement at least five times in one request. One query that fetches all rows
                at once takes their place.
              </p>
              {worst ? (
                <DataTable
                  id="repeated"
                  label="repeated statements"
                  columns={repeatedColumns(server, times)}
                  rows={statements}
                  rowKey={(one) => `${one.endpoint_id} ${one.id}`}
                  sort={{ by: "time", descending: true }}
                  className="mt-2"
                />
              ) : null}
            </>
          );
        }}
      </Answer>
      <Guessed server={server} search={search} />
    </div>
  );
};

/** What counters alone suggest, also where no application sends traces. */
const Guessed = ({ server, search }: Props) => {
  const found = useQuery(followersQuery(server, windowOf(search)));
  return (
    <section className="mt-5" aria-label="Guessed from counters">
      <h2 className="border-strong border-b font-semibold">Guessed from counters</h2>
      <Answer of={found} what="the counters of statements">
        {({ pairs, start, end, needed }) => (
          <>
            <p className="text-muted py-1 text-sm">
              One statement runs about once for each row that another returns, in nearly all readings of the counters
              from {when(start)} to {clock(end)}. That is how a query for each row looks; counters know no requests, so
              it is a guess.
            </p>
            {pairs.length ? (
              <DataTable
                id="followers"
                label="statements that follow the rows of another"
                columns={followerColumns(server)}
                rows={pairs}
                rowKey={(one) => `${one.first} ${one.second}`}
                sort={{ by: "time", descending: true }}
              />
            ) : (
              <p>
                No pair of statements goes together like that. It takes {needed} readings at least, and a load that
                varies.
              </p>
            )}
          </>
        )}
      </Answer>
    </section>
  );
};

type Pair = Schemas["FollowerOut"];

const followerColumns = (server: number): Column<Pair>[] => [
  {
    ...{ id: "second", heading: "seems to run for each row", wide: true, value: (one: Pair) => one.second_text },
    show: (one) => statementText(server, { text: one.second_text, query_id: one.second }),
  },
  {
    ...{ id: "first", heading: "of", wide: true, value: (one: Pair) => one.first_text },
    show: (one) => statementText(server, { text: one.first_text, query_id: one.first }),
  },
  {
    ...{ id: "each", heading: "times for one", align: "right" as const, value: (one: Pair) => one.each },
    show: (one) => <b className="font-semibold">≈ {count(Number(one.each.toPrecision(2)))}</b>,
  },
  {
    ...{ id: "runs", heading: "runs", align: "right" as const, value: (one: Pair) => one.runs },
    show: (one) => count(Math.round(one.runs)),
  },
  {
    ...{ id: "time", heading: "time", align: "right" as const, value: (one: Pair) => one.ms },
    show: (one) => duration(one.ms),
  },
  {
    ...{ id: "agree", heading: "readings", align: "right" as const, value: (one: Pair) => one.agree },
    title: "in which runs and rows are alike, of those looked at",
    show: (one) => `${count(Math.round(one.agree * one.readings))} of ${count(one.readings)}`,
  },
];
