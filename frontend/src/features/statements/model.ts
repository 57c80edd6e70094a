// Measures of the ranking, and the sentence on top of a statement's page.
import type { Schemas } from "../../api/client";
import { KIND_WORDS, isKind } from "../../charts/kinds";
import { PAGE_BYTES, bytes, count, duration, sessions, share } from "../../lib/units";

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
  | "plan_ms";

interface MeasureWords {
  readonly label: string;
  readonly title: string;
  readonly say: (value: number) => string;
}

const pages = (value: number): string => bytes(value * PAGE_BYTES);

export const MEASURES: Readonly<Record<Measure, MeasureWords>> = {
  total_ms: { label: "time", title: "execution time in this window, all calls together", say: duration },
  calls: { label: "calls", title: "how often it ran", say: count },
  mean_ms: { label: "per call", title: "execution time per call", say: duration },
  stddev_ms: { label: "spread", title: "standard deviation of single executions in this window", say: duration },
  rows: { label: "rows", title: "rows returned or changed", say: count },
  blocks_hit: { label: "from memory", title: "pages found in shared buffers", say: pages },
  blocks_read: { label: "read", title: "pages read from outside shared buffers", say: pages },
  temp_written: { label: "temp", title: "temporary files written, because memory did not suffice", say: pages },
  wal_bytes: { label: "log", title: "write-ahead log produced", say: bytes },
  plan_ms: { label: "planning", title: "time spent planning", say: duration },
};

export const MEASURE_NAMES = Object.keys(MEASURES) as Measure[];

export const isMeasure = (text: string | undefined): text is Measure => text !== undefined && text in MEASURES;

/** What matters about a statement, in one sentence with figures. */
export function statementSentence(statement: Schemas["StatementOut"]): string {
  const parts: string[] = [];
  if (statement.load === null || statement.share === null) parts.push("Nothing was sampled in this window");
  else if (statement.samples === 0) parts.push("Never seen active in this window");
  else
    parts.push(
      `${share(statement.share, statement.share_margin ?? 0)} of the load here, ${sessions(statement.load)} sessions on average`,
    );
  const main = statement.waits.reduce<Schemas["GroupOut"] | null>(
    (best, one) => (best === null || one.total > best.total ? one : best),
    null,
  );
  if (main && isKind(main.key))
    parts.push(main.key === "running" ? "mostly running on CPU" : `mostly waiting: ${KIND_WORDS[main.key]}`);
  const totals = statement.totals;
  if (totals && totals.mean_ms !== null) parts.push(`${count(totals.calls)} calls of ${duration(totals.mean_ms)} each`);
  return `${parts.join("; ")}.`;
}
