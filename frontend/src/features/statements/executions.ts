// What of executions is asked for, and words for it. Pure.
import type { Schemas } from "../../api/client";
import { clock } from "../../lib/time";
import { AGGREGATES as ALL_AGGREGATES } from "../../lib/words/aggregates";
import { PIVOT_DIMENSIONS } from "../../lib/words/pivot_dimensions";
import { PIVOT_MEASURES as ALL_MEASURES } from "../../lib/words/pivot_measures";
import { bytes, count, duration, counted } from "../../lib/units";

const entries = <W extends Readonly<Record<string, string>>>(list: W) =>
  Object.entries(list) as readonly [keyof W & string, string][];

export type PivotBy = keyof typeof PIVOT_DIMENSIONS;
export const PIVOT_BY = entries(PIVOT_DIMENSIONS);

export type PivotMeasure = keyof typeof ALL_MEASURES;
export const PIVOT_MEASURES = entries(ALL_MEASURES);

export type Aggregate = keyof typeof ALL_AGGREGATES;
export const AGGREGATES = entries(ALL_AGGREGATES);

export interface PivotSpec {
  readonly rows: PivotBy;
  readonly columns: PivotBy | "none";
  readonly measure: PivotMeasure;
  readonly aggregate: Aggregate;
}

const among = <T extends string>(all: readonly (readonly [T, string])[], text: string | undefined, usual: T): T =>
  all.find(([name]) => name === text)?.[0] ?? usual;

/** From the URL; nonsense falls back to the usual. */
export function readPivot(search: { rows?: string; cells?: string; measure?: string; aggregate?: string }): PivotSpec {
  return {
    rows: among(PIVOT_BY, search.rows, "program"),
    columns: search.cells === "none" ? "none" : among(PIVOT_BY, search.cells, "duration"),
    measure: among(PIVOT_MEASURES, search.measure, "took_ms"),
    aggregate: among(AGGREGATES, search.aggregate, "count"),
  };
}

/** A cell in the unit of what is measured. */
export function cellWords(value: number | null, spec: PivotSpec): string {
  if (value === null) return "";
  if (spec.aggregate === "count") return count(Math.round(value));
  return spec.measure === "temp_bytes" ? bytes(value) : duration(value);
}

/** Whether the figures of a row's cells make up that of the whole row. */
export const addsUp = (aggregate: Aggregate): boolean => aggregate === "sum" || aggregate === "count";

const wordFor = <T extends string>(all: readonly (readonly [T, string])[], name: T): string =>
  all.find(([one]) => one === name)?.[1] ?? name;

/** What the table tells, as a title: "how many executions, by program and duration". */
export function pivotTitle(spec: PivotSpec): string {
  const what =
    spec.aggregate === "count"
      ? "how many executions"
      : `${wordFor(PIVOT_MEASURES, spec.measure)}, ${wordFor(AGGREGATES, spec.aggregate)}`;
  const columns = spec.columns === "none" ? "" : ` and ${wordFor(PIVOT_BY, spec.columns)}`;
  return `${what}, by ${wordFor(PIVOT_BY, spec.rows)}${columns}`;
}

/** A name of a row or column: hours come as milliseconds since 1970. */
export const valueWords = (by: PivotBy | "none", label: string): string => {
  if (by === "hour" && /^\d+$/.test(label)) return clock(Number(label));
  return label === "" ? "unknown" : label;
};

/** What the picture shows, in one sentence that says how sure it is. */
export function distributionSentence(found: Schemas["DistributionOut"]): string {
  if (found.captured === 0) return "No single execution is known in this window.";
  const all = Math.round(found.executions);
  const stand = all > found.captured ? `, standing for about ${count(all)}` : "";
  const left = found.known > found.captured ? ` (the newest of ${count(found.known)})` : "";
  const half = found.p50_ms === null ? "" : `; half took below ${duration(found.p50_ms)}`;
  const slow =
    found.p99_ms !== null
      ? `, one in a hundred above ${duration(found.p99_ms)}`
      : found.p95_ms !== null
        ? `, one in twenty above ${duration(found.p95_ms)}`
        : "";
  return `${counted(found.captured, "execution")} captured${left}${stand}${half}${slow}; longest ${duration(found.max_ms ?? 0)}.`;
}

export const BY_WORDS: Readonly<Record<string, string>> = PIVOT_DIMENSIONS;

/** What can be run elsewhere: the statement with its parameters in place of $1 and so on. */
export function runnable(statement: string, parameters: string): string {
  const values = new Map<string, string>();
  for (const match of parameters.matchAll(/\$(\d+) = (NULL|'(?:[^']|'')*')/g))
    values.set(match[1] ?? "", match[2] ?? "");
  return statement.replace(/\$(\d+)/g, (whole, number: string) => values.get(number) ?? whole);
}
