import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { count, duration, share } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { nodesQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";

interface Props {
  readonly server: number;
  readonly query: string;
  readonly spec: WindowSpec;
}

const rounded = (value: number | null): string => (value === null ? "–" : count(Number(value.toPrecision(3))));

/** The statement on every server of the group; nothing where the server stands alone. */
export const Nodes = ({ server, query, spec }: Props) => {
  const asked = useQuery(nodesQuery(server, query, spec));
  const nodes = asked.data ?? [];
  if (asked.error) return <AnswerState of={asked} what="the other nodes" />;
  if (nodes.length < 2) return null;
  const slowest = Math.max(...nodes.map((node) => node.ms_per_call ?? 0));
  return (
    <section aria-label="Nodes compared" className="mt-4">
      <h2 className="border-strong border-b font-semibold">On each node of its group</h2>
      <DataTable
        id="nodes"
        label="on each node of its group"
        columns={columnsOf(server, slowest)}
        rows={nodes}
        rowKey={(node) => String(node.server_id)}
        sort={{ by: "per_call", descending: true }}
        link={(node, words, className) => (
          <Link
            to="/servers/$server/statements/$query"
            params={{ server: String(node.server_id), query }}
            search={(old) => old}
            className={className}
          >
            {words}
          </Link>
        )}
      />
    </section>
  );
};

type Node = Schemas["StatementNodeOut"];

const columnsOf = (server: number, slowest: number): Column<Node>[] => [
  {
    ...{ id: "node", heading: "node", wide: true, value: (node: Node) => node.name },
    show: (node) => (
      <>
        {node.server_id === server ? <b>{node.name}</b> : node.name}{" "}
        <span className="text-muted text-sm">{node.role}</span>
      </>
    ),
  },
  {
    ...{ id: "calls", heading: "calls", align: "right" as const, value: (node: Node) => node.calls },
    show: (node) => (node.calls === null ? "none" : count(node.calls)),
  },
  {
    ...{ id: "share", heading: "of all", align: "right" as const, value: (node: Node) => node.share_of_calls },
    show: (node) => (node.share_of_calls === null ? "" : share(node.share_of_calls)),
  },
  {
    ...{ id: "per_call", heading: "per call", value: (node: Node) => node.ms_per_call },
    show: (node) => (
      <span className="flex w-64 items-center gap-2">
        <span
          className="bg-strong h-2"
          style={{ width: `${slowest ? (70 * (node.ms_per_call ?? 0)) / slowest : 0}%` }}
        />
        {node.ms_per_call === null ? "–" : duration(node.ms_per_call)}
      </span>
    ),
  },
  {
    ...{ id: "reads", heading: "blocks read", align: "right" as const, value: (node: Node) => node.reads_per_call },
    show: (node) => rounded(node.reads_per_call),
  },
  {
    ...{ id: "rows", heading: "rows", align: "right" as const, value: (node: Node) => node.rows_per_call },
    show: (node) => rounded(node.rows_per_call),
  },
];
