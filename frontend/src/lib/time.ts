// Moments as text, by the clock that the reader has chosen (zone.ts), which the screen names.
import { aheadMs, fromWall, shownZone, wall } from "./zone";

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
  const d = wall(at);
  const base = `${two(d.getUTCHours())}:${two(d.getUTCMinutes())}`;
  return withSeconds ? `${base}:${two(d.getUTCSeconds())}` : base;
}

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"] as const;
const WEEKDAYS = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"] as const;

/** "today", "yesterday" or "Mon 23 Nov", with the year where it is another one; `now` decides what today is. */
export function day(at: number, now: number): string {
  const d = wall(at);
  const today = wall(now);
  const days = dayNumber(today) - dayNumber(d);
  if (days === 0) return "today";
  if (days === 1) return "yesterday";
  const year = d.getUTCFullYear() === today.getUTCFullYear() ? "" : ` ${d.getUTCFullYear()}`;
  return `${WEEKDAYS[d.getUTCDay()] ?? ""} ${d.getUTCDate()} ${MONTHS[d.getUTCMonth()] ?? ""}${year}`;
}

const dayNumber = (on: Date): number => Math.floor(on.getTime() / 86_400_000);

/** "14:05:09" of today, else "yesterday 14:05:09" or "Mon 23 Nov 14:05:09". */
export function stamp(at: number, withSeconds = true, now = present()): string {
  const on = day(at, now);
  return on === "today" ? clock(at, withSeconds) : `${on} ${clock(at, withSeconds)}`;
}

/** The same time of day so many days before, also across a change to summer time, when a day has 23 or 25 hours. */
export function daysBefore(at: number, days: number): number {
  return fromWall(wall(at).getTime() - days * 86_400_000);
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

/** Name of the time zone that is shown, with its offset: "Europe/Lisbon, UTC+1". */
export function zone(at: number): string {
  const minutes = Math.round(aheadMs(at) / 60_000);
  const name = shownZone() ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
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
  const today = wall(now);
  const [, y, mo, d, h, mi, s] = match;
  const [hour, minute, second] = [Number(h), Number(mi), Number(s ?? "0")];
  if (hour > 23 || minute > 59 || second > 59) return null;
  const on =
    y === undefined
      ? Date.UTC(today.getUTCFullYear(), today.getUTCMonth(), today.getUTCDate(), hour, minute, second)
      : Date.UTC(Number(y), Number(mo) - 1, Number(d), hour, minute, second);
  const told = new Date(on);
  if (y !== undefined && (told.getUTCMonth() !== Number(mo) - 1 || told.getUTCDate() !== Number(d))) return null; // 31 February
  return fromWall(on);
}

/** For an input field: "2026-11-23 09:20:15". */
export const writeMoment = (at: number): string => `${date(at)} ${clock(at)}`;

/** A moment as the browser's own field for day and time writes it, to the minute. */
export const localMinute = (at: number): string => `${date(at)}T${clock(at, false)}`;

/** Inverse of localMinute; null when it is no moment. */
export const readLocalMinute = (text: string, now: number): number | null => readMoment(text, now);

function date(at: number): string {
  const d = wall(at);
  return `${d.getUTCFullYear()}-${two(d.getUTCMonth() + 1)}-${two(d.getUTCDate())}`;
}
