// Changes and comparisons in words. Pure.
import { bytes, count, counted, duration, share } from "../../lib/units";
import { type Change, type Compared, MOST_CHANGES } from "./queries";

/** "11:04:00", or for what came about between two looks, when it was seen. */
export const cameAbout = (one: Pick<Change, "at" | "since">): string =>
  one.at - one.since < 1000 ? "" : `in the ${duration(one.at - one.since)} before`;

/** Who told of it. */
export const teller = (one: Pick<Change, "origin" | "by">): string =>
  one.origin === "found" ? "found" : one.origin === "hand" ? one.by : `${one.by}, by token`;

/** A figure in its unit. */
export function measured(value: number | null, unit: string): string {
  if (value === null) return "–";
  switch (unit) {
    case "ms":
      return duration(value);
    case "ms_per_s":
      return `${duration(value)} a second`;
    case "share":
      return share(value);
    case "bytes_per_s":
      return `${bytes(value)}/s`;
    case "per_s":
      return `${count(Number(value.toPrecision(3)))}/s`;
    case "per_hour":
      return `${count(Number(value.toPrecision(3)))} an hour`;
    default:
      return count(Number(value.toPrecision(3)));
  }
}

const MANY = 2; // times: below it a change is said in per cent

/** A ratio as people say it: "2.4 times", "+31%", "−8%". */
export const ratioWords = (ratio: number): string => {
  if (ratio >= MANY) return `${Number(ratio.toPrecision(2))} times`;
  if (ratio > 0 && ratio <= 1 / MANY) return `a ${Number((1 / ratio).toPrecision(2))}th`.replace(/^a 2th$/, "half");
  const percent = (ratio - 1) * 100;
  const digits = Math.abs(percent) < 9.5 ? 1 : 0;
  return `${percent < 0 ? "−" : "+"}${Math.abs(percent).toFixed(digits)}%`;
};

/** By how much, with its interval: of a ratio in per cent or times, of a difference in its unit. */
export function differenceWords(one: Compared): string {
  if (one.counts) return `${count(one.counts[0] ?? 0)} → ${count(one.counts[1] ?? 0)}`;
  if (one.change === null || one.low === null || one.high === null) return "–";
  if (one.scale === "ratio") return `${ratioWords(one.change)} (${ratioWords(one.low)} to ${ratioWords(one.high)})`;
  const signed = (value: number): string => `${value < 0 ? "−" : "+"}${measured(Math.abs(value), one.unit)}`;
  return `${signed(one.change)} (${signed(one.low)} to ${signed(one.high)})`;
}

/** What a verdict looks like beside its word: more or less of trouble, or neither. */
export const verdictClass = (verdict: string): string =>
  verdict === "worse" ? "text-danger font-semibold" : verdict === "better" ? "font-semibold" : "text-muted";

/** "from~to" of the address. */
export function readSpan(text: string | undefined): { from: number; to: number } | null {
  const [from = NaN, to = NaN] = (text ?? "").split("~").map(Number);
  return Number.isFinite(from) && Number.isFinite(to) && to > from ? { from, to } : null;
}

/** How many changes are listed. A list that was cut says so: what is not in it did happen. */
export const changesWords = (listed: number, filtered: boolean): string =>
  listed < MOST_CHANGES
    ? `${counted(listed, filtered ? "such change" : "change")} in this window`
    : `The newest ${listed} ${filtered ? "such changes" : "changes"} of this window; a shorter one shows the others`;
