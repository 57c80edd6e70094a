// Columns of a group's tables.
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { Lines } from "../../charts/Lines";
import { Spark } from "../../charts/Spark";
import { count, duration, sessions, share } from "../../lib/units";
import type { Column } from "../../ui/table/columns";

type Group = Schemas["ServerGroupOut"];
type Node = Group["nodes"][number];

/** A primary and its replicas: how load is spread, and how far replay lags. */
export const nodeColumns = (group: Group): Column<Node>[] => [
  {
    ...{ id: "node", heading: "node", value: (node: Node) => node.name },
    show: (node) => (
      <>
        <Link
          to="/servers/$server/load"
          params={{ server: String(node.id) }}
          className="text-accent font-semibold hover:underline"
        >
          {node.name}
        </Link>
        <div className="text-muted text-sm">{node.role}</div>
      </>
    ),
  },
  {
    ...{ id: "load", heading: "load", value: (node: Node) => node.load },
    show: (node) => (
      <>
        {node.load === null ? <span className="text-muted">not sampled</span> : `${sessions(node.load)} active`}
        <div className="text-muted text-sm">{node.cores ? `${node.cores} cores` : ""}</div>
      </>
    ),
  },
  {
    ...{ id: "share", heading: "share of the group", value: (node: Node) => node.share },
    show: (node) => (
      <>
        <svg width="100" height="10" aria-hidden="true" className="mr-1 inline-block">
          <rect width={100 * (node.share ?? 0)} height="10" fill="var(--running)" />
        </svg>
        {node.share === null ? "" : share(node.share)}
      </>
    ),
  },
  {
    ...{ id: "over", heading: "running above, waiting below", value: () => null },
    show: (node) => (
      <Spark
        load={{ ...group, bucket_ms: node.bucket_ms, starts: node.starts, groups: node.groups }}
        width={280}
        height={56}
        label={`load of ${node.name}`}
      />
    ),
  },
  {
    ...{ id: "lag", heading: "replay lag", value: (node: Node) => node.lag_ms },
    show: (node) =>
      node.lag_ms === null ? (
        <span className="text-muted">–</span>
      ) : (
        <div className="h-[66px] w-[270px]">
          <Lines
            title="lag"
            starts={node.lag_starts}
            bucketMs={node.lag_bucket_ms}
            start={group.start}
            end={group.end}
            values={node.lag}
            now={group.now}
            say={duration}
          />
        </div>
      ),
  },
  {
    ...{
      id: "conflicts",
      heading: "readers cancelled",
      align: "right" as const,
      value: (node: Node) => node.conflicts,
    },
    show: (node) => (node.conflicts === null ? "–" : count(Math.round(node.conflicts))),
  },
];

type Shared = Group["statements"][number];

/** One statement on each node of the group. */
export const statementColumns = (group: Group): Column<Shared>[] => [
  {
    ...{
      id: "statement",
      heading: "statement",
      wide: true,
      value: (one: Shared) => one.label,
      say: (one: Shared) => one.label,
    },
    show: (one) => <span className="font-mono text-xs">{one.label}</span>,
  },
  ...group.nodes.map((node, i): Column<Shared> => ({
    ...{ id: `node ${node.id}`, heading: node.name, title: "time per call × calls", align: "right" as const },
    value: (one) => one.nodes[i]?.mean_ms ?? null,
    show: (one) => <PerCall one={one} node={node} cell={one.nodes[i]} />,
  })),
  {
    ...{ id: "spread", heading: "slowest to fastest", align: "right" as const, value: (one: Shared) => one.spread },
    show: (one) => (one.spread === null ? "" : `${one.spread.toFixed(1)} times`),
  },
];

interface PerCallProps {
  readonly one: Shared;
  readonly node: Node;
  readonly cell: Shared["nodes"][number] | undefined;
}

const PerCall = ({ one, node, cell }: PerCallProps) =>
  cell && cell.mean_ms !== null ? (
    <Link
      to="/servers/$server/statements/$query"
      params={{ server: String(node.id), query: one.query_id }}
      className="hover:text-accent"
    >
      {duration(cell.mean_ms)} <span className="text-muted">× {count(Math.round(cell.calls))}</span>
    </Link>
  ) : (
    <span className="text-muted" title="no calls on this node">
      –
    </span>
  );
