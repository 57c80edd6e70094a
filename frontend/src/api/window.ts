// A window as the API's query parameters.
import { type WindowSpec, follows } from "../lib/view";

export type WindowQuery = { last: number } | { from: number; to: number };

export const windowQuery = (spec: WindowSpec): WindowQuery =>
  follows(spec) ? { last: spec.last } : { from: spec.from, to: spec.to };

/** How often a view asks again: at the pace of the samples while it follows now, never for a fixed window. */
export const refreshMs = (spec: WindowSpec): number | false => {
  if (!follows(spec)) return false;
  return spec.last <= 3600 ? 2000 : spec.last <= 86_400 ? 10_000 : 60_000;
};
