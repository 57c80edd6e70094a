// Words and checks of the settings page.
import type { Schemas } from "../../api/client";

export type Capture = Schemas["CaptureOut"];
export type CaptureBody = Schemas["CaptureBody"];

/** "It costs the server up to 0.04% of a core". */
export function costWords(share: number | null): string {
  if (share === null) return "What it costs is not measured yet";
  const percent = share * 100;
  const figure = percent >= 1 ? percent.toFixed(1) : String(Number(percent.toPrecision(1)));
  return `It costs the server up to ${figure}% of a core`;
}

/** What sampling would cost at another period. */
export const shareAt = (sampleMs: number | null, periodMs: number): number | null =>
  sampleMs === null || !(periodMs > 0) ? null : sampleMs / periodMs;

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;

export interface ScheduleSpan {
  readonly days: readonly number[];
  readonly from: string;
  readonly to: string;
}

/** Spans as the API keeps them; what is none is dropped. */
export function readSpans(raw: readonly Readonly<Record<string, unknown>>[]): ScheduleSpan[] {
  return raw.map((one) => ({
    days: Array.isArray(one.days) ? one.days.filter((day): day is number => typeof day === "number") : [],
    from: typeof one.from === "string" ? one.from : "",
    to: typeof one.to === "string" ? one.to : "",
  }));
}

/** csv or jsonl by the file's ending; null when it tells neither. */
export function formOf(name: string): "csv" | "jsonl" | null {
  if (/\.csv$/i.test(name)) return "csv";
  return /\.(jsonl|ndjson|json)$/i.test(name) ? "jsonl" : null;
}
