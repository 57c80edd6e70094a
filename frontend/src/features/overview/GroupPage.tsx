import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { Lines } from "../../charts/Lines";
import { Spark } from "../../charts/Spark";
import { count, duration, sessions, share } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { groupSentence, groupTable } from "./model";
import { groupQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

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
  <table className="mt-2 w-full">
    <thead>
      <tr className="border-strong text-muted border-b text-left text-sm">
        <th className="font-normal">node</th>
        <th className="font-normal">load</th>
        <th className="font-normal">share of the group</th>
        <th className="font-normal">running above, waiting below</th>
        <th className="font-normal">replay lag</th>
        <th className="text-right font-normal">readers cancelled</th>
      </tr>
    </thead>
    <tbody>
      {group.nodes.map((node) => (
        <tr key={node.id} className="border-line border-b align-top">
          <td className="py-2 pr-4">
            <Link
              to="/servers/$server/load"
              params={{ server: String(node.id) }}
              className="text-accent font-semibold hover:underline"
            >
              {node.name}
            </Link>
            <div className="text-muted text-sm">{node.role}</div>
          </td>
          <td className="py-2 pr-4">
            {node.load === null ? <span className="text-muted">not sampled</span> : `${sessions(node.load)} active`}
            <div className="text-muted text-sm">{node.cores ? `${node.cores} cores` : ""}</div>
          </td>
          <td className="py-2 pr-4">
            <svg width="140" height="10" aria-hidden="true">
              <rect width={140 * (node.share ?? 0)} height="10" fill="var(--running)" />
            </svg>{" "}
            {node.share === null ? "" : share(node.share)}
          </td>
          <td className="py-1 pr-4">
            <Spark
              load={{
                start: group.start,
                end: group.end,
                bucket_ms: node.bucket_ms,
                starts: node.starts,
                groups: node.groups,
              }}
              width={360}
              height={56}
              label={`load of ${node.name}`}
            />
          </td>
          <td className="h-[74px] w-[300px] py-1 pr-4">
            {node.lag_ms === null ? (
              <span className="text-muted">–</span>
            ) : (
              <Lines
                title="lag"
                starts={node.lag_starts}
                bucketMs={node.lag_bucket_ms}
                start={group.start}
                end={group.end}
                values={node.lag}
                now={group.now}
                say={(v) => duration(v)}
              />
            )}
          </td>
          <td className="py-2 text-right">{node.conflicts === null ? "–" : count(Math.round(node.conflicts))}</td>
        </tr>
      ))}
    </tbody>
  </table>
);

const SharedStatements = ({ group }: { readonly group: Schemas["ServerGroupOut"] }) => (
  <section className="mt-4">
    <h2 className="flex justify-between font-semibold">
      Statements, time per call on each node
      <ExportMenu name={`statements of ${group.name}`} table={() => groupTable(group)} />
    </h2>
    <table className="font-condensed w-full">
      <thead>
        <tr className="border-strong text-muted border-b text-left text-sm">
          <th className="font-normal">statement</th>
          {group.nodes.map((node) => (
            <th key={node.id} className="text-right font-normal">
              {node.name}
            </th>
          ))}
          <th className="text-right font-normal">slowest to fastest</th>
        </tr>
      </thead>
      <tbody>
        {group.statements.map((one) => (
          <tr key={one.query_id} className="border-line border-b">
            <td className="max-w-[480px] truncate py-0.5 font-mono text-xs" title={one.label}>
              {one.label}
            </td>
            {one.nodes.map((cell, i) => {
              const node = group.nodes[i];
              return (
                <td key={node?.id ?? i} className="text-right">
                  {cell && cell.mean_ms !== null && node ? (
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
                  )}
                </td>
              );
            })}
            <td className="text-right">{one.spread === null ? "" : `${one.spread.toFixed(1)} times`}</td>
          </tr>
        ))}
      </tbody>
    </table>
  </section>
);
