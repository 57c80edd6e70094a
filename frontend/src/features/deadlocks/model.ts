// Deadlocks in words, and where the marks of the crossing stand. Pure.
import type { Schemas } from "../../api/client";
import { CONFIDENCES } from "../../lib/words/confidences";
import { DEADLOCK_CAUSES } from "../../lib/words/deadlock_causes";
import { LOG_EVENTS } from "../../lib/words/log_events";
import { when } from "../../lib/time";
import { count, duration } from "../../lib/units";

type Party = Schemas["PartyOut"];

export const CAUSES: Readonly<Record<string, string>> = DEADLOCK_CAUSES;
export const EVENTS: Readonly<Record<string, string>> = LOG_EVENTS;

export interface Mark {
  readonly party: number;
  readonly thing: number;
  readonly held: boolean;
  readonly number: number; // in time: first all that is held, then what is wanted, the victim's last
}

export interface Crossing {
  readonly things: readonly { readonly words: string; readonly said: string }[];
  readonly marks: readonly Mark[];
}

/** Parties as columns, what they locked as rows in the order in which the first party took them.
 *
 * Each party wants what the next one holds. So the first holds what the last wants; that thing comes first.
 */
export function crossing(parties: readonly Party[]): Crossing {
  const n = parties.length;
  const wantedBy = (thing: number): number => (thing + n - 1) % n; // the party that wants the thing of a row
  const things = parties.map((_, row) => {
    const waiter = parties[wantedBy(row)];
    const place = /tuple \((\d+,\d+)\)/.exec(waiter?.context ?? "")?.[1];
    const said = waiter?.wants.said ?? "";
    return { words: waiter?.wants.words ?? "", said: place ? `at (${place}), ${said}` : said };
  });
  const holds = parties.map((_, row) => ({ party: row, thing: row, held: true, number: row + 1 }));
  const wants = parties.map((_, row) => {
    const party = wantedBy(row);
    return { party, thing: row, held: false, number: n + ((party + n - 1) % n) + 1 };
  });
  return { things, marks: [...holds, ...wants].toSorted((a, b) => a.number - b.number) };
}

/** Width of a party's column in pixels, so that all stand beside each other where there is room for words at all. */
export const columnWidth = (room: number, parties: number): number =>
  Math.max(150, Math.min(240, Math.floor(room / Math.max(1, parties))));

/** "none since Tue 3 Nov, 14:05" or how often it came back; empty while nothing was done about it. */
export function sinceWords(one: Schemas["PatternOut"], when: (at: number) => string): string {
  if (one.handled_at === null || one.since_change === null) return "";
  const since = `${when(one.handled_at)} (${one.change})`;
  return one.since_change === 0 ? `none since ${since}` : `${count(one.since_change)} since ${since}`;
}

/** How far what is known of a cause carries. */
export const confidenceWords = (confidence: string): string =>
  (CONFIDENCES as Readonly<Record<string, string>>)[confidence] ?? CONFIDENCES.perhaps;

const BEHIND_MS = 60_000;

/** That a list from the log is empty, as far as the log was read. `nothing` begins like "No deadlock". */
export function nothingSentence(nothing: string, log: Schemas["LogReadOut"], end: number): string {
  if (log.refused) return `Not known, since the log is not read: ${log.refused}`;
  if (log.read_at === null) return "Not known, since the log of this server was never read.";
  return log.read_at < end - BEHIND_MS
    ? `${nothing} in this window up to ${when(log.read_at)}, when the log was last read.`
    : `${nothing} in this window.`;
}

/** What the patterns of a window come to. */
export function patternsSentence(found: Schemas["PatternsOut"], narrowed = false): string {
  const here = found.patterns.filter((one) => one.count > 0);
  const all = here.reduce((sum, one) => sum + one.count, 0);
  const [first] = here;
  if (!first) return nothingSentence(narrowed ? "No deadlock inside the trail" : "No deadlock", found.log, found.end);
  const lost = here.reduce((sum, one) => sum + one.lost_ms, 0);
  const work = lost ? `, ${duration(lost)} of work rolled back` : "";
  const who = first.programs.join(" and ") || "sessions that the log does not name";
  return `${count(all)} ${all === 1 ? "deadlock" : "deadlocks"} of ${here.length === 1 ? "one pattern" : `${here.length} patterns`}${work}; most often ${who}, ${first.tables.length ? `over ${first.tables.join(" and ")}, ` : ""}${CAUSES[first.cause] ?? first.cause}.`;
}

/** Heights of small bars, 0 to 1. */
export function bars(series: readonly number[]): number[] {
  const most = Math.max(1, ...series);
  return series.map((n) => n / most);
}
