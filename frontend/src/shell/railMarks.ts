// Marks of the rail: what happened to the watching, what the server's log tells, what changed, what was at fault. Pure.
import type { Schemas } from "../api/client";
import type { RailMark } from "../charts/Rail";

const NOTE_WORDS: Readonly<Record<string, string>> = {
  connected: "connected",
  away: "server away",
  store_back: "store was away",
  log_broken: "log was replaced",
  log_refused: "log not readable",
  statement_run: "statement run to measure it",
  close_watch: "close watch",
  clock_step: "clock was set",
  paused: "watching was paused",
  resumed: "watching goes on",
  counters_reset: "counters reset",
  counters_restart: "server restarted",
  counters_eviction: "statements evicted",
};

const EVENT_WORDS: Readonly<Record<string, readonly [string, string]>> = {
  deadlock: ["deadlock", "deadlocks"],
  crash: ["crash", "crashes"],
  out_of_space: ["out of disk", "times out of disk"],
  plan_switch: ["switch of plan", "switches of plan"],
  change: ["change", "changes"],
  lead: ["at fault", "at fault"],
  alert: ["alert", "alerts"],
  connection_refused: ["refused connection", "refused connections"],
};

/** What a mark leads to: deadlocks, entries of a kind in the log, statements or one of them, or no more than its time. */
export type Lead =
  | { readonly to: "deadlocks" }
  | { readonly to: "changes" }
  | { readonly to: "leads" }
  | { readonly to: "alert"; readonly id: number }
  | { readonly to: "statements" }
  | { readonly to: "events"; readonly kind: string }
  | { readonly to: "statement"; readonly queryId: string }
  | { readonly to: "time" };

export interface LeadingMark extends RailMark {
  readonly lead: Lead;
}

export const noteMarks = (notes: readonly Schemas["NoteOut"][]): LeadingMark[] =>
  notes
    .filter((note) => note.event !== "connected")
    .map(({ at, event, detail }) => ({
      at,
      until: at,
      label: NOTE_WORDS[event] ?? event,
      detail,
      lead: { to: "time" },
    }));

/** One mark for all of a kind that lie within `nearMs` of its first, since more would only cover each other. */
export function eventMarks(events: readonly Schemas["MarkedOut"][], nearMs: number): LeadingMark[] {
  interface Mark {
    at: number;
    until: number;
    kind: string;
    count: number;
    detail: string;
    statements: Set<string>;
    alert: number | null;
  }
  const marks: Mark[] = [];
  const open = new Map<string, Mark>();
  for (const event of events) {
    const last = open.get(event.kind);
    if (last && event.at - last.at < nearMs) {
      last.count += 1;
      last.until = event.at;
      if (event.query_id !== null) last.statements.add(event.query_id);
      if (last.detail !== event.detail) last.detail += `; ${event.detail}`;
    } else {
      const { at, kind, detail, query_id: queryId, alert } = event;
      const statements = new Set(queryId === null ? [] : [queryId]);
      const mark = { at, until: at, kind, detail, count: 1, statements, alert };
      marks.push(mark);
      open.set(event.kind, mark);
    }
  }
  return marks.map(({ at, until, kind, count, detail, statements, alert }) => {
    const [one, many] = EVENT_WORDS[kind] ?? [kind, kind];
    const lead: Lead = alert === null ? leadOf(kind, [...statements]) : { to: "alert", id: alert };
    return { at, until, label: count === 1 ? one : `${count} ${many}`, detail, lead };
  });
}

/** Switches of plan of several statements lead to the ranking, which tells which of them became dearer. */
function leadOf(kind: string, statements: readonly string[]): Lead {
  if (kind === "plan_switch") {
    const [queryId] = statements;
    return queryId !== undefined && statements.length === 1 ? { to: "statement", queryId } : { to: "statements" };
  }
  if (kind === "change") return { to: "changes" };
  if (kind === "lead") return { to: "leads" };
  return kind === "deadlock" ? { to: "deadlocks" } : { to: "events", kind };
}

/** No more than `most`, in order of time: each takes room to be pressed, and those nearest to each other become one. */
export function fitting(marks: readonly LeadingMark[], most: number): LeadingMark[] {
  const found = marks.toSorted((a, b) => a.at - b.at);
  const gap = (i: number): number => (found[i]?.at ?? 0) - (found[i - 1]?.until ?? 0);
  while (found.length > Math.max(1, most)) {
    let nearest = 1;
    for (let i = 2; i < found.length; i += 1) if (gap(i) < gap(nearest)) nearest = i;
    const [before, after] = found.slice(nearest - 1, nearest + 1);
    if (before && after) found.splice(nearest - 1, 2, joined(before, after));
  }
  return found;
}

/** What both are about where that is the same, else no more than their time. */
function joined(before: LeadingMark, after: LeadingMark): LeadingMark {
  const either = (one: string, other: string, by: string): string =>
    one === other || !other ? one : one ? `${one}${by}${other}` : other;
  return {
    at: before.at,
    until: Math.max(before.until, after.until),
    label: `${before.label}, ${after.label}`,
    detail: either(before.detail, after.detail, "; "),
    lead: JSON.stringify(before.lead) === JSON.stringify(after.lead) ? before.lead : { to: "time" },
  };
}
