// Words of groups.
import type { Schemas } from "../../api/client";
import { duration, share } from "../../lib/units";

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
