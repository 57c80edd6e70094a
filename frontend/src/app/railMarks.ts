// Marks of the rail: what happened to the watching, and what the server's log tells. Pure.
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
  counters_reset: "counters reset",
  counters_restart: "server restarted",
  counters_eviction: "statements evicted",
};

const EVENT_WORDS: Readonly<Record<string, readonly [string, string]>> = {
  deadlock: ["deadlock", "deadlocks"],
  crash: ["crash", "crashes"],
  out_of_space: ["out of disk", "times out of disk"],
  plan_switch: ["switch of plan", "switches of plan"],
  connection_refused: ["refused connection", "refused connections"],
};

export const noteMarks = (notes: readonly Schemas["NoteOut"][]): RailMark[] =>
  notes
    .filter((note) => note.event !== "connected")
    .map((note) => ({ at: note.at, label: NOTE_WORDS[note.event] ?? note.event, detail: note.detail }));

/** One mark for all of a kind that lie within `nearMs` of its first, since more would only cover each other. */
export function eventMarks(events: readonly Schemas["MarkedOut"][], nearMs: number): RailMark[] {
  interface Mark {
    at: number;
    kind: string;
    count: number;
    detail: string;
  }
  const marks: Mark[] = [];
  const open = new Map<string, Mark>();
  for (const event of events) {
    const last = open.get(event.kind);
    if (last && event.at - last.at < nearMs) {
      last.count += 1;
      if (last.detail !== event.detail) last.detail += `; ${event.detail}`;
    } else {
      const mark = { ...event, count: 1 };
      marks.push(mark);
      open.set(event.kind, mark);
    }
  }
  return marks.map(({ at, kind, count, detail }) => {
    const [one, many] = EVENT_WORDS[kind] ?? [kind, kind];
    return { at, label: count === 1 ? one : `${count} ${many}`, detail };
  });
}
