// A figure with its unit as the API names it.
import { bytes, count, duration, sessions, share } from "./units";

export type Unit = "sessions" | "per_s" | "share" | "ms" | "bytes" | "bytes_per_s" | "count";

const UNITS: Readonly<Record<Unit, (value: number) => string>> = {
  sessions: (v) => sessions(v),
  per_s: (v) => `${v < 10 ? Number(v.toPrecision(2)) : count(v)}/s`,
  share: (v) => share(v),
  ms: (v) => duration(v),
  bytes: (v) => bytes(v),
  bytes_per_s: (v) => `${bytes(v)}/s`,
  count: (v) => count(Math.round(v)),
};

/** "12.3 k/s", "45%", "3.2 ms"; a dash for what is not known. An unknown unit is printed as a plain number. */
export function figure(value: number | null | undefined, unit: string): string {
  if (value === null || value === undefined) return "–";
  const say = (UNITS as Readonly<Record<string, (value: number) => string>>)[unit];
  return say ? say(value) : count(value);
}

/** "+23%", "3.2 times", "−45%", "same"; empty where nothing can be compared. */
export function changeWords(ratio: number | null, difference: number | null): string {
  if (difference === null) return "";
  if (ratio === null) return difference === 0 ? "same" : "was none";
  if (Math.abs(ratio - 1) < 0.02) return "same";
  if (ratio >= 2) return `${ratio >= 10 ? ratio.toFixed(0) : ratio.toFixed(1)} times`;
  const percent = (ratio - 1) * 100;
  return `${percent > 0 ? "+" : "−"}${Math.abs(percent).toFixed(0)}%`;
}
