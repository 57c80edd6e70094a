// A window as the API's query parameters.
import { type WindowSpec, follows } from "../lib/view";

export type WindowQuery = { last: number } | { from: number; to: number };

export const windowQuery = (spec: WindowSpec): WindowQuery =>
  follows(spec) ? { last: spec.last } : { from: spec.from, to: spec.to };

const BUCKETS = 300; // a picture has about so many; asking more often than one of them grows shows nothing new
const [SOONEST_MS, LATEST_MS] = [2000, 30_000];

/** How often a view asks again: as often as its picture gains a bucket while it follows now, never for a fixed window. */
export const refreshMs = (spec: WindowSpec): number | false =>
  follows(spec) ? Math.min(LATEST_MS, Math.max(SOONEST_MS, (spec.last * 1000) / BUCKETS)) : false;
