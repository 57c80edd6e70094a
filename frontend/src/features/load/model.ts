// What the load view shows beside its charts, as pure functions of the API's answers.
import type { Schemas } from "../../api/client";
import { type LoadLike, stacks } from "../../charts/geometry/stacks";
import { type Kind, KINDS, isKind } from "../../charts/kinds";
import type { Table } from "../../charts/saving";
import { clock } from "../../lib/time";
import { readPick } from "../../lib/trail";
import { duration, sessions } from "../../lib/units";
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
  return `${one.side} ${sign}${sessions(Math.abs(one.size))} for ${duration(one.end - one.start)} at ${clock(one.start, false)}`;
}

/** The window of the same length so much earlier, on the same buckets; it moves only when a bucket is full. */
export function earlierSpec(load: Schemas["LoadOut"] | undefined, ms: number): WindowSpec {
  if (!load) return { last: 900 };
  const start = load.start - (load.start % load.bucket_ms);
  return { from: start - ms, to: start - ms + (load.end - load.start) };
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
