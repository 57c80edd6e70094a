// How long the rail is when nobody chose: a day, but no longer than there is history to show.
import { DEFAULT_RAIL_S } from "../lib/view";

const SHORTER_S = [3600, 21_600] as const;

interface Sampled {
  readonly starts: readonly number[];
  readonly ticks: readonly number[];
  readonly now: number;
}

/** Seconds. `day` is the load of the last day; undefined while it is not known. */
export function railLength(day: Sampled | undefined): number {
  const first = day?.ticks.findIndex((count) => count > 0) ?? -1;
  const start = first >= 0 ? day?.starts[first] : undefined;
  if (day === undefined || start === undefined) return DEFAULT_RAIL_S;
  return SHORTER_S.find((seconds) => day.now - start < seconds * 1000) ?? DEFAULT_RAIL_S;
}
