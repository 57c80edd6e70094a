// What the URL holds: window, trail and the view's own choices. Reading it never fails; nonsense falls back to the usual.

/** A window that follows now (`last` seconds), or an exact one in milliseconds since 1970. */
export type WindowSpec = { readonly last: number } | { readonly from: number; readonly to: number };

export const DEFAULT_LAST_S = 900;
export const DEFAULT_RAIL_S = 86_400;
export const MIN_WINDOW_MS = 10_000;
export const MAX_WINDOW_MS = 90 * 86_400_000;

export interface ViewSearch {
  last?: number;
  from?: number;
  to?: number;
  pick?: string[];
  rail?: number;
  columns?: string[];
  sort?: string;
  containing?: string;
  wait?: string;
  split?: string;
  compare?: string;
  view?: string;
  under?: string;
  by?: string;
  where?: string[];
  only?: string[];
  tools?: string;
  starred?: string;
  least?: string;
  most?: string;
  rows?: string;
  cells?: string;
  measure?: string;
  aggregate?: string;
  against?: string;
  root?: string;
  at?: string;
  started?: string;
  database?: string;
}

/** How far back "the same hours" lie, in milliseconds. */
export const COMPARED: Readonly<Record<string, { readonly ms: number; readonly label: string }>> = {
  day: { ms: 86_400_000, label: "yesterday" },
  week: { ms: 7 * 86_400_000, label: "a week ago" },
};

const positive = (value: unknown): number | undefined => {
  const n = typeof value === "string" ? Number(value) : typeof value === "number" ? value : NaN;
  return Number.isFinite(n) && Math.round(n) > 0 ? Math.round(n) : undefined;
};

const texts = (value: unknown): string[] | undefined => {
  const all = (Array.isArray(value) ? value : [value]).filter((v): v is string => typeof v === "string" && v !== "");
  return all.length ? all : undefined;
};

const WORDS = [
  "sort",
  "containing",
  "wait",
  "split",
  "compare",
  "view",
  "under",
  "by",
  "tools",
  "starred",
  "least",
  "most",
  "rows",
  "cells",
  "measure",
  "aggregate",
  "against",
  "root",
  "at",
  "started",
  "database",
] as const;

/** Keeps what can be meant and drops the rest. */
export function readSearch(raw: Record<string, unknown>): ViewSearch {
  const [from, to, last] = [positive(raw.from), positive(raw.to), positive(raw.last)];
  const found: ViewSearch = {};
  if (from !== undefined && to !== undefined && to > from) Object.assign(found, { from, to });
  else if (last !== undefined) found.last = Math.min(last, MAX_WINDOW_MS / 1000);
  const rail = positive(raw.rail);
  if (rail !== undefined) found.rail = rail;
  const pick = texts(raw.pick);
  if (pick) found.pick = pick;
  for (const key of ["columns", "where", "only"] as const) {
    const values = texts(raw[key]);
    if (values) found[key] = values;
  }
  for (const key of WORDS) {
    const value = raw[key];
    if (typeof value === "string" && value !== "") found[key] = value;
  }
  return found;
}

/** "?pick=a&pick=b&last=900" as one record; repeated names become lists. */
export function parseQuery(query: string): Record<string, unknown> {
  const params = new URLSearchParams(query.startsWith("?") ? query.slice(1) : query);
  const found: Record<string, unknown> = {};
  for (const key of new Set(params.keys())) {
    const all = params.getAll(key);
    found[key] = all.length > 1 ? all : all[0];
  }
  return found;
}

/** Inverse of parseQuery; empty values are left out. */
export function writeQuery(search: Record<string, unknown>): string {
  const params = new URLSearchParams();
  for (const [key, value] of Object.entries(search)) {
    for (const one of Array.isArray(value) ? (value as unknown[]) : [value]) {
      if (typeof one === "string" || typeof one === "number") params.append(key, String(one));
    }
  }
  const text = params.toString();
  return text ? `?${text}` : "";
}

export function windowOf(search: ViewSearch): WindowSpec {
  return search.from !== undefined && search.to !== undefined
    ? { from: search.from, to: search.to }
    : { last: search.last ?? DEFAULT_LAST_S };
}

export const follows = (spec: WindowSpec): spec is { readonly last: number } => "last" in spec;

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

/** The search without its window: what stays when another window is chosen. */
export function withoutWindow(search: ViewSearch): ViewSearch {
  const rest = { ...search };
  delete rest.last;
  delete rest.from;
  delete rest.to;
  return rest;
}

/** The search after a change of some parts. A new window replaces the old one whole. */
export function mergeSearch(old: ViewSearch, change: Partial<ViewSearch>): ViewSearch {
  const kept = "last" in change || "from" in change ? withoutWindow(old) : old;
  return readSearch({ ...kept, ...change });
}
