import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { type Base, windowOf } from "../../lib/view";
import { nodeColumns, statementColumns } from "./columns";
import { groupSentence } from "./model";
import { groupQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";

/** A primary and its replicas: how load is spread, how far replay lags, and one statement on each of them. */
export const GroupPage = ({ name, search }: { readonly name: string; readonly search: Base }) => {
  const group = useQuery(groupQuery(name, windowOf(search)));
  return (
    <div className="px-6 py-3">
      <AnswerState of={group} what="the group" />
      {group.data ? (
        <div className={group.isPlaceholderData ? "opacity-50" : ""}>
          <h2 className="text-base font-semibold">{groupSentence(group.data)}</h2>
          <Nodes group={group.data} />
          <SharedStatements group={group.data} />
        </div>
      ) : null}
    </div>
  );
};

const Nodes = ({ group }: { readonly group: Schemas["ServerGroupOut"] }) => (
  <DataTable
    id="group-nodes"
    label={`nodes of ${group.name}`}
    columns={nodeColumns(group)}
    rows={group.nodes}
    rowKey={(node) => String(node.id)}
    sort={{ by: "share", descending: true }}
    className="mt-2"
  />
);

const SharedStatements = ({ group }: { readonly group: Schemas["ServerGroupOut"] }) => (
  <section className="mt-4">
    <h2 className="font-semibold">Statements, time per call on each node</h2>
    <DataTable
      id="group-statements"
      label={`statements of ${group.name}`}
      columns={statementColumns(group)}
      rows={group.statements}
      rowKey={(one) => one.query_id}
      sort={{ by: "spread", descending: true }}
    />
  </section>
);
