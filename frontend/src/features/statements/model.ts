// Measures of the ranking, and the sentence on top of a statement's page.
import type { Schemas } from "../../api/client";
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

export const MEASURES: Readonly<Record<Measure, MeasureWords>> = {
  change: { label: "change", title: "time a second, against the window before", say: times },
  sessions: {
    label: "sessions",
    title: "sessions in it on average, as sampled, also in calls that have not ended",
    say: sessions,
  },
  on_cpu: { label: "on CPU", title: "sessions running it on CPU on average, as sampled", say: sessions },
  total_ms: { label: "time", title: "execution time in this window, all calls together", say: duration },
  calls: { label: "calls", title: "how often it ran", say: count },
  mean_ms: { label: "per call", title: "execution time per call", say: duration },
  stddev_ms: {
    label: "std. deviation",
    title: "standard deviation of single executions in this window",
    say: duration,
  },
  rows: { label: "rows", title: "rows returned or changed", say: count },
  blocks_hit: { label: "buffer hits", title: "pages found in shared buffers", say: pages },
  blocks_read: { label: "blocks read", title: "pages read from outside shared buffers", say: pages },
  temp_written: { label: "temp written", title: "temporary files written, because memory did not suffice", say: pages },
  wal_bytes: { label: "WAL", title: "WAL written", say: bytes },
  read_ms: { label: "read time", title: "time waited for reads, where the server times them", say: duration },
  plan_ms: { label: "plan time", title: "time spent planning", say: duration },
  disk_read_rate: {
    label: "disk read",
    title: "bytes read from the disks a second, calls under way included",
    say: perSecond,
  },
  disk_write_rate: { label: "disk write", title: "bytes written a second, calls under way included", say: perSecond },
  errors: { label: "errors", title: "errors, timeouts and cancels in the log", say: count },
};

/** How many times its usual time a second a statement takes; null where nothing is usual yet. */
export function againstUsual(totalMs: number, coveredMs: number, usual: number | undefined): number | null {
  return usual && coveredMs > 0 ? totalMs / (coveredMs / 1000) / usual : null;
}

export const MEASURE_NAMES = Object.keys(MEASURES) as Measure[];

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
