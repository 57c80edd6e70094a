// Moments as text, in the reader's own time zone, which the screen names.

const NOTICED_MS = 5000; // what Faena's clock may differ from this machine's before it matters
let ahead = 0;

/** Learns what time it is for Faena: windows are told in its time, and this machine's clock may be wrong. */
export function learnTime(theirs: number): void {
  const by = theirs - Date.now();
  if (Number.isFinite(by)) ahead = Math.abs(by) >= NOTICED_MS ? by : 0;
}

/** The present moment in milliseconds since 1970, by Faena's clock; the one place where the screen reads the time. */
export const present = (): number => Date.now() + ahead;

const two = (n: number): string => n.toString().padStart(2, "0");

/** "14:05:09", or "14:05" where seconds would only fill the line. */
export function clock(at: number, withSeconds = true): string {
  const d = new Date(at);
  const base = `${two(d.getHours())}:${two(d.getMinutes())}`;
  return withSeconds ? `${base}:${two(d.getSeconds())}` : base;
}

const WEEKDAYS = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"] as const;

/** "today", "yesterday" or "Mon 23 Nov", with the year where it is another one; `now` decides what today is. */
export function day(at: number, now: number): string {
  const d = new Date(at);
  const midnight = new Date(now);
  midnight.setHours(0, 0, 0, 0);
  const start = new Date(at);
  start.setHours(0, 0, 0, 0);
  const days = Math.round((midnight.getTime() - start.getTime()) / 86_400_000);
  if (days === 0) return "today";
  if (days === 1) return "yesterday";
  const month = d.toLocaleString("en", { month: "short" });
  const year = d.getFullYear() === midnight.getFullYear() ? "" : ` ${d.getFullYear()}`;
  return `${WEEKDAYS[d.getDay()] ?? ""} ${d.getDate()} ${month}${year}`;
}

/** "14:05:09" of today, else "yesterday 14:05:09" or "Mon 23 Nov 14:05:09". */
export function stamp(at: number, withSeconds = true, now = present()): string {
  const on = day(at, now);
  return on === "today" ? clock(at, withSeconds) : `${on} ${clock(at, withSeconds)}`;
}

/** The same time of day so many days before, also across a change to summer time, when a day has 23 or 25 hours. */
export function daysBefore(at: number, days: number): number {
  const d = new Date(at);
  d.setDate(d.getDate() - days);
  return d.getTime();
}

/** "today 14:05:09", or without the seconds. */
export const when = (at: number, withSeconds = true): string => `${day(at, present())} ${clock(at, withSeconds)}`;

/** "13:40 – 13:55 today"; names both days when there are two. */
export function span(from: number, to: number, now: number): string {
  const seconds = to - from < 10 * 60_000;
  const [a, b] = [day(from, now), day(to, now)];
  return a === b
    ? `${clock(from, seconds)} – ${clock(to, seconds)} ${a}`
    : `${clock(from, false)} ${a} – ${clock(to, false)} ${b}`;
}

/** Name of the reader's time zone with its offset: "Europe/Lisbon, UTC+1". */
export function zone(at: number): string {
  const minutes = -new Date(at).getTimezoneOffset();
  const name = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const offset = minutes === 0 ? "UTC" : `UTC${minutes > 0 ? "+" : "−"}${offsetWords(Math.abs(minutes))}`;
  return name === "UTC" ? "UTC" : `${name}, ${offset}`;
}

/** "1", "5:45": hours, and minutes where there are any. */
const offsetWords = (minutes: number): string =>
  `${Math.floor(minutes / 60)}${minutes % 60 ? `:${two(minutes % 60)}` : ""}`;

/** Reads "2026-11-23 09:20" or "09:20" (today) or "09:20:15" in the reader's zone; null when it is no moment. */
export function readMoment(text: string, now: number): number | null {
  const match = /^\s*(?:(\d{4})-(\d{2})-(\d{2})[ T])?(\d{1,2}):(\d{2})(?::(\d{2}))?\s*$/.exec(text);
  if (!match) return null;
  const today = new Date(now);
  const [, y, mo, d, h, mi, s] = match;
  const [hour, minute, second] = [Number(h), Number(mi), Number(s ?? "0")];
  if (hour > 23 || minute > 59 || second > 59) return null;
  const at =
    y !== undefined
      ? new Date(Number(y), Number(mo) - 1, Number(d), hour, minute, second)
      : new Date(today.getFullYear(), today.getMonth(), today.getDate(), hour, minute, second);
  if (y !== undefined && (at.getMonth() !== Number(mo) - 1 || at.getDate() !== Number(d))) return null; // 31 February
  return at.getTime();
}

/** For an input field: "2026-11-23 09:20:15". */
export function writeMoment(at: number): string {
  const d = new Date(at);
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())} ${clock(at)}`;
}

/** A moment as the browser's own field for day and time writes it, to the minute. */
export function localMinute(at: number): string {
  const d = new Date(at);
  const two = (n: number): string => String(n).padStart(2, "0");
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}T${two(d.getHours())}:${two(d.getMinutes())}`;
}
