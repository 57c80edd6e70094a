// Words and files of groups and indicators.
import type { Schemas } from "../../api/client";
import { duration, share } from "../../lib/units";
import type { Table } from "../../ui/tableFile";

/** Who bears most, and which replica lags. */
export function groupSentence(group: Schemas["ServerGroupOut"]): string {
  const most = group.nodes.reduce<Schemas["NodeOut"] | null>(
    (best, node) => ((node.share ?? 0) > (best?.share ?? 0) ? node : best),
    null,
  );
  const lagging = group.nodes.filter((node) => (node.lag_ms ?? 0) > 5000);
  const load = most?.share
    ? `${most.name} bears ${share(most.share)} of the load of ${group.name}`
    : "Nothing was sampled";
  const lag = lagging.map((node) => `${node.name} lagged by up to ${duration(node.lag_ms ?? 0)}`).join(", ");
  return `${load}${lag ? `; ${lag}` : ""}.`;
}

/** A row per statement and node. */
export const groupTable = (group: Schemas["ServerGroupOut"]): Table => ({
  columns: ["query_id", "statement", "node", "calls", "mean_ms"],
  rows: group.statements.flatMap((one) =>
    one.nodes.map((cell, i) => [
      one.query_id,
      one.label,
      group.nodes[i]?.name ?? "",
      cell?.calls ?? null,
      cell?.mean_ms ?? null,
    ]),
  ),
});

/** A row per server and indicator. */
export const indicatorsTable = (data: Schemas["IndicatorsOut"]): Table => ({
  columns: ["server", "indicator", "unit", "mean", "latest", "times_yesterday", "times_a_week_ago"],
  rows: data.indicators.flatMap((one) =>
    one.cells.map((cell) => [
      data.servers.find((server) => server.id === cell.server)?.name ?? "",
      one.name,
      one.unit,
      cell.mean,
      cell.latest,
      cell.yesterday.ratio,
      cell.last_week.ratio,
    ]),
  ),
});
