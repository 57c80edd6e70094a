// How a collector does, in a sentence.
import type { Schemas } from "../../api/client";
import { duration } from "../../lib/units";

export type Collector = Schemas["CollectorOut"];

/** What matters most of it, worst first. */
export function howItDoes(one: Collector, now: number): string {
  if (!one.alive) return `silent for ${duration(one.silent_ms)}: it has ended, or cannot reach the store`;
  if (one.standing_by) return "waits for the upgrade of the store; it goes on sampling and keeps readings on disk";
  if (one.disk_full) return "its disk is full or refuses writes; readings are kept in memory while there is room";
  if (one.store_away_since !== null)
    return `cannot reach the store since ${duration(now - one.store_away_since)}; it keeps readings on disk`;
  const away = one.servers.filter((server) => server.state !== "watching").length;
  if (away > 0) return `well; ${away} of ${one.servers.length} servers do not answer it`;
  return one.servers.length === 0 ? "well, and has no server to watch" : "well";
}

export const every = (seconds: number): string => (seconds < 120 ? `${seconds} s` : `${Math.round(seconds / 60)} min`);
