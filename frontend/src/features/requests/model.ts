// A request's spans as rows: a tree walked from the top, runs of alike siblings folded into one row that can be opened.
import type { Schemas } from "../../api/client";
import { count, duration } from "../../lib/units";

export type Span = Schemas["SpanOut"];

export interface Row {
  readonly key: string;
  readonly spans: readonly number[]; // places in the request's list; several are a fold
  readonly depth: number;
  readonly open: boolean; // of a fold, or of a span with others below it
  readonly foldable: boolean;
  readonly startMs: number;
  readonly endMs: number;
  readonly tookMs: number; // together
  readonly selfMs: number;
}

export const LEAST_ALIKE = 3; // siblings of one kind that are folded

/** What makes siblings alike: what they are called, their layer and their statement. */
const alike = (span: Span): string => `${span.layer} ${span.statement || span.name}`;

interface Tree {
  readonly children: readonly (readonly number[])[];
}

/** Children of each span, in order of time. */
export function treeOf(spans: readonly Span[]): Tree {
  const children: number[][] = spans.map(() => []);
  spans.forEach((span, i) => {
    if (span.above >= 0) children[span.above]?.push(i);
  });
  for (const below of children) below.sort((a, b) => (spans[a]?.start_ms ?? 0) - (spans[b]?.start_ms ?? 0));
  return { children };
}

/**
 * Rows in the order in which they stand. `turned` holds the keys of folds that are open and of spans that are closed.
 */
export function rowsOf(spans: readonly Span[], tree: Tree, turned: ReadonlySet<string>): Row[] {
  const rows: Row[] = [];
  const waiting: { readonly places: readonly number[]; readonly depth: number; readonly part: boolean }[] = [];
  if (spans.length) waiting.push({ places: [0], depth: 0, part: false });
  while (waiting.length) {
    const { places, depth, part } = waiting.pop() ?? { places: [], depth: 0, part: false };
    const first = places[0] ?? 0;
    const fold = places.length > 1;
    const key = fold ? `alike ${first}` : `span ${first}`;
    const below = fold ? [] : (tree.children[first] ?? []);
    const open = fold ? turned.has(key) : below.length > 0 && !turned.has(key);
    rows.push({ ...measured(spans, places), key, spans: places, depth, open, foldable: fold || below.length > 0 });
    if (!open) continue;
    const next = fold
      ? places.map((place) => ({ places: [place], depth: depth + 1, part: true }))
      : groups(spans, below, part).map((group) => ({ places: group, depth: depth + 1, part: false }));
    waiting.push(...next.reverse());
  }
  return rows;
}

/** Siblings put together where at least LEAST_ALIKE are alike; each group stands where its first one does. */
function groups(spans: readonly Span[], siblings: readonly number[], part: boolean): number[][] {
  const byKind = new Map<string, number[]>();
  for (const place of siblings) {
    const span = spans[place];
    if (!span) continue;
    const together = byKind.get(alike(span));
    if (together) together.push(place);
    else byKind.set(alike(span), [place]);
  }
  const done = new Set<string>();
  return siblings.flatMap((place) => {
    const span = spans[place];
    if (!span) return [];
    const kind = alike(span);
    const together = byKind.get(kind) ?? [];
    if (part || together.length < LEAST_ALIKE) return [[place]];
    if (done.has(kind)) return [];
    done.add(kind);
    return [together];
  });
}

function measured(spans: readonly Span[], places: readonly number[]) {
  let [startMs, endMs, tookMs, selfMs] = [Infinity, -Infinity, 0, 0];
  for (const place of places) {
    const span = spans[place];
    if (!span) continue;
    startMs = Math.min(startMs, span.start_ms);
    endMs = Math.max(endMs, span.start_ms + span.duration_ms);
    tookMs += span.duration_ms;
    selfMs += span.self_ms;
  }
  return { startMs, endMs, tookMs, selfMs };
}

/** "1,204 requests are kept singly and stand for 5,310; half took below 20 ms, one in a hundred above 1.2 s." */
export function spreadSentence(found: Schemas["SpreadOut"]): string {
  const whole = Math.round(found.requests);
  const stand = whole > found.drawn ? ` and stand for ${count(whole)}` : "";
  const drawn = found.known > found.drawn ? `, the newest ${count(found.drawn)} of them drawn` : "";
  const half = found.p50_ms === null ? "" : `; half took below ${duration(found.p50_ms)}`;
  const few =
    found.p99_ms !== null
      ? `, one in a hundred above ${duration(found.p99_ms)}`
      : found.p95_ms !== null
        ? `, one in twenty above ${duration(found.p95_ms)}`
        : "";
  const are = found.known === 1 ? "request is" : "requests are";
  return `${count(found.known)} ${are} kept singly${stand}${drawn}${half}${few}; the longest took ${duration(found.max_ms ?? 0)}.`;
}

/** A chance in words: "1 in 250", "under 1 in 1 M". */
export function chanceWords(chance: number): string {
  if (chance < 1e-6) return "under 1 in 1 M";
  return `1 in ${count(Number((1 / chance).toPrecision(2)))}`;
}

export type Usual = Schemas["UsualFigureOut"] | null;

/** Where a figure lies against what is usual: "as usual", "×2.4 of usual", "half…"; null where nothing is known. */
export function againstUsual(now: number, usual: Usual): string | null {
  if (usual === null || usual.middle <= 0) return null;
  if (now >= usual.low && now <= usual.high) return "as usual";
  return `×${Number((now / usual.middle).toPrecision(2))}`;
}

/** "38 ms to 47 ms, from 14 earlier days"; `show` says a figure with its unit. */
export const usualWords = (usual: NonNullable<Usual>, show: (figure: number) => string): string =>
  `usual ${show(usual.low)} to ${show(usual.high)}, from ${count(usual.days)} earlier days`;
