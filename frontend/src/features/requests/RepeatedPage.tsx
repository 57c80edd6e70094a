import { useQuery } from "@tanstack/react-query";

import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { repeatedColumns } from "./columns";
import { repeatedQuery } from "./queries";
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
        {({ statements }) => {
          const [worst] = statements;
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
                  columns={repeatedColumns(server)}
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
    </div>
  );
};
