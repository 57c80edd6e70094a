// How long the rail is when nobody chose: a day, but no longer than there is history to show, and never so short that
// the window would lie outside.
import { duration } from "../lib/units";
import { DEFAULT_RAIL_S } from "../lib/view";

export const RAIL_LENGTHS_S = [3600, 21_600, 86_400, 604_800, 1_209_600, 2_592_000, 7_776_000] as const;

interface Sampled {
  readonly starts: readonly number[];
  readonly ticks: readonly number[];
  readonly now: number;
}

/** Seconds. `day` is the load of the last day; undefined while it is not known. `from` is where the window begins. */
export function railLength(day: Sampled | undefined, from: number, now: number): number {
  const first = day?.ticks.findIndex((count) => count > 0) ?? -1;
  const start = first >= 0 ? day?.starts[first] : undefined;
  const known = day === undefined || start === undefined ? DEFAULT_RAIL_S * 1000 : day.now - start;
  const wanted = Math.max(Math.min(known, DEFAULT_RAIL_S * 1000), now - from);
  return RAIL_LENGTHS_S.find((seconds) => wanted <= seconds * 1000) ?? 7_776_000;
}

/** What can be chosen, and what is: an address may bring any length. */
export const railOptions = (chosen: number): { value: string; label: string }[] =>
  [...new Set([...RAIL_LENGTHS_S, chosen])]
    .sort((one, other) => one - other)
    .map((seconds) => ({ value: String(seconds), label: seconds === 86_400 ? "24 h" : duration(seconds * 1000) }));
