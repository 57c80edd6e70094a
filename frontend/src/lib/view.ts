// What the URL holds: window, trail and the view's own choices. Reading it never fails; nonsense falls back to the usual.
import { readWith, whole, words } from "./search";

/** A window that follows now (`last` seconds), or an exact one in milliseconds since 1970. */
export type WindowSpec = { readonly last: number } | { readonly from: number; readonly to: number };

export const DEFAULT_LAST_S = 900;
export const DEFAULT_RAIL_S = 86_400;
export const MIN_WINDOW_MS = 10_000;
export const MAX_WINDOW_MS = 90 * 86_400_000;

/** What stays picked on every screen: the window, the length of the rail, and the trail. */
export interface Base {
  last?: number;
  from?: number;
  to?: number;
  rail?: number;
  pick?: string[];
}

/** How far back "the same hours" lie. */
export const COMPARED: Readonly<Record<string, { readonly days: number; readonly label: string }>> = {
  day: { days: 1, label: "yesterday" },
  week: { days: 7, label: "a week ago" },
};

const WINDOW = ["last", "from", "to"] as const;
const KEPT = [...WINDOW, "rail", "pick"] as const;

/** Whether a parameter is one of the base. */
export const isBase = (name: string): boolean => KEPT.some((one) => one === name);

/** The base of an address; nonsense falls back to the usual. An exact window wins over one that follows now. */
export function readBase(raw: Readonly<Record<string, unknown>>): Base {
  const { last, ...rest } = readWith({ last: whole, from: whole, to: whole, rail: whole, pick: words }, raw);
  const { from, to, ...others } = rest;
  if (from !== undefined && to !== undefined && to > from) return { ...others, from, to };
  return last === undefined ? others : { ...others, last: Math.min(last, MAX_WINDOW_MS / 1000) };
}

/** The search of a place gone to, with what it does not speak of kept from where one was: window, rail and trail. */
export function keptBase(here: Readonly<Record<string, unknown>>, there: Readonly<Record<string, unknown>>) {
  const windowed = WINDOW.some((key) => key in there);
  const kept = KEPT.filter((key) => !(key in there) && !(windowed && WINDOW.some((one) => one === key)));
  const base = readBase(here);
  return {
    ...Object.fromEntries(kept.flatMap((key) => (base[key] === undefined ? [] : [[key, base[key]]]))),
    ...there,
  };
}

export function windowOf(search: Base): WindowSpec {
  return search.from !== undefined && search.to !== undefined
    ? { from: search.from, to: search.to }
    : { last: search.last ?? DEFAULT_LAST_S };
}

export const follows = (spec: WindowSpec): spec is { readonly last: number } => "last" in spec;

/** An address whose window no longer follows now but is the one that is shown. */
export function heldAddress(href: string, now: number): string {
  const url = new URL(href);
  const params = url.searchParams;
  if (params.has("from") && params.has("to")) return href;
  const { from, to } = bounds(windowOf(readBase(Object.fromEntries(params))), now);
  params.delete("last");
  params.set("from", String(Math.round(from)));
  params.set("to", String(Math.round(to)));
  return url.toString();
}

/** The span a window covers at the moment `now`. */
export function bounds(spec: WindowSpec, now: number): { from: number; to: number } {
  return follows(spec) ? { from: now - spec.last * 1000, to: now } : spec;
}

/** Half a window earlier (-1) or later (+1); a step that would reach now follows it instead. */
export function stepped(spec: WindowSpec, direction: -1 | 1, now: number): WindowSpec {
  const { from, to } = bounds(spec, now);
  const by = (direction * (to - from)) / 2;
  if (direction > 0 && (follows(spec) || to + by >= now)) return { last: Math.round((to - from) / 1000) };
  return { from: Math.round(from + by), to: Math.round(to + by) };
}

/** Twice or half as long; a window that follows now keeps following. */
export function scaled(spec: WindowSpec, factor: number, now: number): WindowSpec {
  const { from, to } = bounds(spec, now);
  const length = Math.min(MAX_WINDOW_MS, Math.max(MIN_WINDOW_MS, (to - from) * factor));
  if (follows(spec)) return { last: Math.round(length / 1000) };
  const middle = (from + to) / 2;
  const end = Math.min(now, middle + length / 2);
  return { from: Math.round(end - length), to: Math.round(end) };
}

/** A window of the present length in whose middle a span lies; the present one where it holds the span already. */
export function around(spec: WindowSpec, since: number, until: number, now: number): WindowSpec {
  const { from, to } = bounds(spec, now);
  if (from <= since && until <= to) return spec;
  const length = Math.min(MAX_WINDOW_MS, Math.max(to - from, 2 * (until - since), MIN_WINDOW_MS));
  const end = Math.min(now, (since + until + length) / 2);
  return { from: Math.round(end - length), to: Math.round(end) };
}

/** The search after a change of some parts. A new window replaces the old one whole. */
export function mergeSearch<S extends Base>(old: S, change: Partial<S>): S {
  const kept = WINDOW.some((key) => key in change) ? { ...old, last: undefined, from: undefined, to: undefined } : old;
  return { ...kept, ...change };
}
