import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { count, duration, share } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { nodesQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

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
      <table className="font-condensed w-full">
        <thead className="text-muted text-left text-sm">
          <tr>
            <th className="font-normal">node</th>
            <th className="text-right font-normal">calls</th>
            <th className="text-right font-normal">of all</th>
            <th className="w-2/5 pl-6 font-normal">per call</th>
            <th className="text-right font-normal">blocks read</th>
            <th className="text-right font-normal">rows</th>
          </tr>
        </thead>
        <tbody>
          {nodes.map((node) => (
            <tr key={node.server_id} className="border-line border-b">
              <td>
                {node.server_id === server ? (
                  <b>{node.name}</b>
                ) : (
                  <Link
                    to="/servers/$server/statements/$query"
                    params={{ server: String(node.server_id), query }}
                    search={(old) => old}
                    className="hover:text-accent underline"
                  >
                    {node.name}
                  </Link>
                )}{" "}
                <span className="text-muted text-sm">{node.role}</span>
              </td>
              <td className="text-right">{node.calls === null ? "none" : count(node.calls)}</td>
              <td className="text-right">{node.share_of_calls === null ? "" : share(node.share_of_calls)}</td>
              <td className="pl-6">
                <span className="flex items-center gap-2">
                  <span
                    className="bg-strong h-2"
                    style={{ width: `${slowest ? (70 * (node.ms_per_call ?? 0)) / slowest : 0}%` }}
                  />
                  {node.ms_per_call === null ? "–" : duration(node.ms_per_call)}
                </span>
              </td>
              <td className="text-right">{rounded(node.reads_per_call)}</td>
              <td className="text-right">{rounded(node.rows_per_call)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
};
