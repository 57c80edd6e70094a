import { useQuery } from "@tanstack/react-query";

import { LAYERS } from "../../lib/words/layers";
import { duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Answer } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { callColumns } from "./columns";
import { callsQuery } from "./queries";
import type { OnlySearch } from "./requests.route";

interface Props {
  readonly server: number;
  readonly search: OnlySearch;
}

/** Other services, caches and queues that requests ask, those that take most time first. */
export const CallsPage = ({ server, search }: Props) => {
  const found = useQuery(callsQuery(server, windowOf(search), search));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="outgoing calls">
        {({ calls }) => {
          const [most] = calls;
          return (
            <>
              <h1 className="text-base font-semibold">
                {most
                  ? `${most.endpoint} asks ${most.to} (${LAYERS[most.layer]}) for ${duration(most.time_ms)}, ${duration(most.mean_ms)} a call.`
                  : "No request of this window called anybody outside the database."}
              </h1>
              {most ? (
                <DataTable
                  id="calls"
                  label="outgoing calls"
                  columns={callColumns(server, true)}
                  rows={calls}
                  rowKey={(one) => `${one.endpoint_id} ${one.layer} ${one.to}`}
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
