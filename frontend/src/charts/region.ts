// A region of a picture of time by duration: in the address, and in words. Pure.
import { stamp } from "../lib/time";
import { duration } from "../lib/units";
import type { Region } from "./geometry/density";

/** A region as the address holds it: "from~to~least~most", in milliseconds. */
export const writeRegion = (region: Region | null): string =>
  region === null
    ? ""
    : [region.from, region.to, region.leastMs, region.mostMs].map((n) => Number(n.toPrecision(15))).join("~");

/** The region of an address; null where it is none, or does not lie in the window that is shown. */
export function readRegion(
  text: string | undefined,
  window: { readonly start: number; readonly end: number },
): Region | null {
  const parts = (text ?? "").split("~").map(Number);
  const [from, to, leastMs, mostMs] = parts;
  if (parts.length !== 4 || parts.some((n) => !Number.isFinite(n) || n < 0)) return null;
  if (from === undefined || to === undefined || leastMs === undefined || mostMs === undefined) return null;
  const inside = from >= window.start && to <= window.end && from < to && leastMs < mostMs;
  return inside ? { from, to, leastMs, mostMs } : null;
}

/** "10:00:05 to 10:02, 1 s to 10 s". */
export const regionWords = (region: Region): string =>
  `${stamp(region.from)} to ${stamp(region.to)}, ${duration(region.leastMs)} to ${duration(region.mostMs)}`;
