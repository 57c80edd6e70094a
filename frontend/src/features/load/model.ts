// What the load view shows beside its charts, as pure functions of the API's answers.
import type { Schemas } from "../../api/client";
import { type LoadLike, stacks } from "../../charts/geometry/stacks";
import { type Kind, KINDS, isKind } from "../../charts/kinds";
import type { Table } from "../../ui/tableFile";
import { daysBefore, stamp } from "../../lib/time";
import { readPick } from "../../lib/trail";
import { bytes, duration, sessions, share } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";

export interface LegendRow {
  readonly key: string;
  readonly fill: string;
  readonly label: string;
  readonly sessions: number;
  readonly share: number;
}

/** Every layer that has load, in the order in which they lie; running is always there when kinds are stacked. */
export function legend(load: Pick<Schemas["LoadOut"], "groups" | keyof LoadLike>): LegendRow[] {
  const totals = new Map(load.groups.map((group) => [group.key, group]));
  return stacks(load)
    .map(({ key, label, fill }) => ({
      key,
      label,
      fill,
      sessions: totals.get(key)?.total ?? 0,
      share: totals.get(key)?.share ?? 0,
    }))
    .filter((row) => row.key === "running" || row.sessions > 0);
}

/** Kinds that the trail leaves out, to be drawn faintly in the legend. */
export function dimmedKinds(trail: readonly string[]): Kind[] {
  const picks = trail.map(readPick).filter((pick) => pick.dimension === "kind");
  const wanted = picks.filter((pick) => !pick.exclude).map((pick) => pick.value);
  const unwanted = picks.filter((pick) => pick.exclude).map((pick) => pick.value);
  return KINDS.filter((kind) => (wanted.length > 0 && !wanted.includes(kind)) || unwanted.includes(kind));
}

/** The wait to explain: the one asked for, else the one picked, else the largest of the column. */
export function waitToExplain(
  asked: string | undefined,
  trail: readonly string[],
  column: Schemas["ColumnOut"] | undefined,
): string | null {
  if (asked) return asked;
  const picked = trail.map(readPick).find((pick) => pick.dimension === "wait" && !pick.exclude);
  return picked?.value ?? column?.rows[0]?.value ?? null;
}

/** "waiting +8.6 for 20 min at 09:20": how a stretch differs from the usual. */
export function departureWords(one: Schemas["DepartureOut"]): string {
  const sign = one.size < 0 ? "−" : "+";
  return `${one.side} ${sign}${sessions(Math.abs(one.size))} for ${duration(one.end - one.start)} at ${stamp(one.start, false)}`;
}

/** The window of the same length so many days earlier, on the same buckets; it moves only when a bucket is full. */
export function earlierSpec(load: Schemas["LoadOut"] | undefined, days: number): WindowSpec {
  if (!load) return { last: 900 };
  const start = load.start - (load.start % load.bucket_ms);
  const from = daysBefore(start, days);
  return { from, to: from + (load.end - load.start) };
}

/** What the sieve ranks by; the value is the word in the URL. */
export const RANKED_BY = { "": "sessions", read: "bytes read", written: "bytes written" } as const;
export type RankedBy = keyof typeof RANKED_BY;

export const isRankedBy = (text: string | undefined): text is RankedBy => text !== undefined && text in RANKED_BY;

/** A row of the sieve, whatever it is ranked by. `byKind` adds up to `size`, or to less where not all of it is known. */
export interface SieveRow {
  readonly value: string;
  readonly label: string;
  readonly exact: string;
  readonly size: number;
  readonly said: string;
  readonly share: string;
  readonly byKind: Readonly<Record<string, number>>;
  readonly picked: boolean;
  readonly opens: string | null; // number of the statement or endpoint, for its page
}

export interface SieveColumn {
  readonly dimension: string;
  readonly rows: readonly SieveRow[];
  readonly more: number;
  readonly empty: string;
  readonly note: string;
}

/** Columns ranked by sessions, with the error of sampling. */
export const sessionColumns = (sieve: Schemas["SieveOut"]): SieveColumn[] =>
  sieve.columns.map((column) => ({
    dimension: column.dimension,
    more: column.more,
    empty: "no session active",
    note: "",
    rows: column.rows.map((row) => ({
      value: row.value,
      label: row.label,
      exact: `${row.full}\n${sessions(row.sessions)} ±${sessions(row.sessions_margin)} sessions, ${share(row.share, row.share_margin)} of the load, ${row.seen} samples`,
      size: row.sessions,
      said: sessions(row.sessions),
      share: share(row.share, row.share_margin),
      byKind: row.by_kind,
      picked: row.picked,
      opens: row.opens,
    })),
  }));

/** Bytes a second: "4.00 MiB/s". */
export const rate = (perSecond: number): string => `${bytes(perSecond)}/s`;

/** Columns ranked by bytes that processes moved. Work is only told of those that a sample saw at work. */
export const byteColumns = (found: Schemas["BytesOut"], way: "read" | "written"): SieveColumn[] =>
  found.columns.map((column) => {
    const ofWork = column.dimension === "kind" || column.dimension === "wait";
    return {
      dimension: column.dimension,
      more: column.more,
      empty: way === "read" ? "nothing read from the disks" : "nothing written to the disks",
      note:
        ofWork && column.not_at_work > 0
          ? `and ${rate(column.not_at_work)} of sessions that rested at the sample, or ended`
          : "",
      rows: column.rows.map((row) => ({
        value: row.value,
        label: row.label,
        exact: `${row.full}\n${rate(row.rate)} ${way}, ${share(row.share)} of all that was ${way}`,
        size: row.rate,
        said: rate(row.rate),
        share: share(row.share),
        byKind: row.by_kind,
        picked: row.picked,
        opens: null,
      })),
    };
  });

/** What to know of the bytes before believing them; empty where all of the window was counted. */
export function countedWords(found: Pick<Schemas["BytesOut"], "counted_s" | "window_s" | "processes">): string {
  const why = {
    seen: "It counts from when it began to watch.",
    refused:
      "The server runs on the collector's machine, and its processes belong to another account. Run the collector as that account, or give it the right to look (CAP_SYS_PTRACE).",
    elsewhere: "That takes a collector on the machine that the server runs on, and Linux.",
  }[found.processes];
  if (found.counted_s === 0) return `Bytes of single processes were not counted in this window. ${why}`;
  const part = found.counted_s / found.window_s;
  return part < 0.95 ? `Counted over ${share(part)} of the window; the rates are of that time.` : "";
}

/** All columns of a sieve as one table, a value a row. */
export function sieveTable(sieve: Schemas["SieveOut"]): Table {
  return {
    columns: ["dimension", "value", "sessions", "sessions_margin", "share", "share_margin", "samples"],
    rows: sieve.columns.flatMap((column) =>
      column.rows.map((row) => [
        column.dimension,
        row.full || row.label,
        row.sessions,
        row.sessions_margin,
        row.share,
        row.share_margin,
        row.seen,
      ]),
    ),
  };
}

export interface BarPart {
  readonly kind: Kind;
  readonly from: number; // percent of the bar's width, from its left
  readonly width: number;
}

/** The bar of a sieve row: running to the left of the axis, waiting to the right, `most` filling its side. */
export function barParts(byKind: Readonly<Record<string, number>>, most: number, axis = 30): BarPart[] {
  const scale = most > 0 ? (100 - axis) / most : 0;
  const runScale = most > 0 ? axis / most : 0;
  const running = byKind.running ?? 0;
  const parts: BarPart[] = running
    ? [{ kind: "running", from: axis - running * runScale, width: running * runScale }]
    : [];
  let at = axis;
  const waits = Object.entries(byKind)
    .filter((entry): entry is [Kind, number] => isKind(entry[0]) && entry[0] !== "running" && entry[1] > 0)
    .sort((a, b) => b[1] - a[1]);
  for (const [kind, value] of waits) {
    parts.push({ kind, from: at, width: value * scale });
    at += value * scale;
  }
  return parts;
}

/** Bytes as one table, a value a row. */
export function bytesTable(found: Schemas["BytesOut"]): Table {
  return {
    columns: ["dimension", "value", "bytes_per_second", "share"],
    rows: found.columns.flatMap((column) =>
      column.rows.map((row) => [column.dimension, row.full || row.label, row.rate, row.share]),
    ),
  };
}
