// Measures of the ranking, and the sentence on top of a statement's page.
import type { Schemas } from "../../api/client";
import * as words from "../../lib/words/measures";
import { KIND_WORDS, isKind } from "../../charts/kinds";
import { stamp } from "../../lib/time";
import { PAGE_BYTES, bytes, count, counted, duration, sessions, share } from "../../lib/units";

export type Measure =
  | "total_ms"
  | "mean_ms"
  | "calls"
  | "rows"
  | "blocks_read"
  | "blocks_hit"
  | "temp_written"
  | "wal_bytes"
  | "stddev_ms"
  | "plan_ms"
  | "read_ms"
  | "errors"
  | "change"
  | "sessions"
  | "on_cpu"
  | "disk_read_rate"
  | "disk_write_rate";

interface MeasureWords {
  readonly label: string;
  readonly title: string;
  readonly say: (value: number) => string;
}

const perSecond = (value: number): string => `${bytes(value)}/s`;
const pages = (value: number): string => bytes(value * PAGE_BYTES);

/** "4.2 times", "0.5 times", as people say a ratio. */
export const times = (ratio: number): string => `${ratio >= 100 ? ratio.toFixed(0) : ratio.toPrecision(2)}×`;

const SAY: Readonly<Record<Measure, (value: number) => string>> = {
  change: times,
  sessions: sessions,
  on_cpu: sessions,
  total_ms: duration,
  calls: count,
  mean_ms: duration,
  stddev_ms: duration,
  rows: count,
  blocks_hit: pages,
  blocks_read: pages,
  temp_written: pages,
  wal_bytes: bytes,
  read_ms: duration,
  plan_ms: duration,
  disk_read_rate: perSecond,
  disk_write_rate: perSecond,
  errors: count,
};

export const MEASURE_NAMES = Object.keys(SAY) as Measure[];

export const MEASURES = Object.fromEntries(
  MEASURE_NAMES.map((name) => [
    name,
    { label: words.MEASURES[name], title: words.MEASURES_MEANINGS[name], say: SAY[name] },
  ]),
) as Readonly<Record<Measure, MeasureWords>>;

/** How many times its usual time a second a statement takes; null where nothing is usual yet. */
export function againstUsual(totalMs: number, coveredMs: number, usual: number | undefined): number | null {
  return usual && coveredMs > 0 ? totalMs / (coveredMs / 1000) / usual : null;
}

export const isMeasure = (text: string | undefined): text is Measure => text !== undefined && text in MEASURES;

/** "4.2 times its usual cost per call since 14:05, when its plan changed", or nothing. */
export function dearerWords(dearer: Schemas["StatementOut"]["dearer"]): string {
  if (!dearer) return "";
  const until = dearer.until === null ? "since" : "from";
  const span = dearer.until === null ? "" : ` to ${stamp(dearer.until)}`;
  const why = dearer.switch === null ? "" : ", when its plan changed";
  return `${Number(dearer.times.toPrecision(2))} times its usual cost per call ${until} ${stamp(dearer.since)}${span}${why}`;
}

/** The plans on both sides of the switch that is blamed for dearer calls, else of the newest one; by number. */
export function turningPoint(
  statement: Pick<Schemas["StatementOut"], "dearer" | "switches">,
): { readonly before: number; readonly after: number } | null {
  const blamed = statement.switches.find((one) => one.at === statement.dearer?.switch) ?? statement.switches.at(-1);
  if (!blamed || blamed.before_plan === null || blamed.after_plan === null) return null;
  return { before: blamed.before_plan, after: blamed.after_plan };
}

const FEW_SAMPLES = 5; // fewer say neither how much nor on what
const seenTimes = (samples: number): string => (samples === 1 ? "once" : `${samples} times`);

/** What matters about a statement, in one sentence with figures. */
export function statementSentence(statement: Schemas["StatementOut"]): string {
  const parts: string[] = [];
  if (statement.load === null || statement.share === null) parts.push("Nothing was sampled in this window");
  else if (statement.samples === 0) parts.push("Never seen active in this window");
  else if (statement.samples < FEW_SAMPLES)
    parts.push(`Hardly any of the load: seen active ${seenTimes(statement.samples)} in this window`);
  else
    parts.push(
      `${share(statement.share, statement.share_margin ?? 0)} of the load, ${sessions(statement.load)} sessions on average`,
    );
  const main = statement.waits.reduce<Schemas["GroupOut"] | null>(
    (best, one) => (best === null || one.total > best.total ? one : best),
    null,
  );
  if (main && isKind(main.key) && statement.samples >= FEW_SAMPLES)
    parts.push(main.key === "running" ? "mostly running on CPU" : `mostly waiting: ${KIND_WORDS[main.key]}`);
  const dear = dearerWords(statement.dearer);
  if (dear) parts.splice(1, 0, dear);
  const totals = statement.totals;
  if (totals && totals.mean_ms !== null)
    parts.push(`${counted(totals.calls, "call")} of ${duration(totals.mean_ms)} each`);
  return `${parts.join("; ")}.`;
}

/** Measures that a condition of the ranking can be about, with the unit its number is in. */
export const CONDITION_FIELDS = [
  ["mean_ms", "time per call", "ms"],
  ["total_ms", "time", "ms"],
  ["calls", "calls", ""],
  ["rows", "rows", ""],
  ["stddev_ms", "standard deviation", "ms"],
  ["blocks_read", "blocks read", "pages"],
  ["temp_written", "temp written", "pages"],
  ["wal_bytes", "WAL", "bytes"],
  ["plan_ms", "plan time", "ms"],
  ["errors", "errors", ""],
  ["change", "change", "times"],
  ["sessions", "sessions", ""],
  ["on_cpu", "on CPU", "sessions"],
  ["disk_read_rate", "disk read", "bytes/s"],
  ["disk_write_rate", "disk write", "bytes/s"],
  ["user", "user", ""],
  ["database", "database", ""],
  ["table", "table", ""],
] as const;

const NAMES: ReadonlySet<string> = new Set(["user", "database", "table"]);

/** Which signs make sense for a field. */
export const signsOf = (field: string): readonly string[] => (NAMES.has(field) ? ["=", "!="] : [">=", "<=", ">", "<"]);

/** A condition as people read it: "time per call >= 10 ms". */
export function conditionWords(written: string): string {
  const match = /^(\w+)\s*(>=|<=|!=|>|<|=)\s*(.*)$/.exec(written);
  const found = CONDITION_FIELDS.find(([name]) => name === match?.[1]);
  if (!match || !found) return written;
  const sign = { "=": "is", "!=": "is not" }[match[2] ?? ""] ?? match[2];
  return `${found[1]} ${sign} ${match[3]} ${found[2]}`.trim();
}
