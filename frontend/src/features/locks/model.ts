// Blocking in words. Pure: no React, no clock.
import type { Schemas } from "../../api/client";
import type { Lane } from "../../charts/geometry/lanes";
import { keyOf, stretchFill } from "../../charts/sessions";
import { duration, plural } from "../../lib/units";

type Episode = Schemas["EpisodeOut"];

/** The lanes of an episode as the chart draws them. */
export const lanesOf = (lanes: readonly Schemas["LaneOut"][], circle: boolean): Lane[] =>
  lanes.map((lane) => ({
    key: keyOf(lane.session),
    pid: lane.session.pid,
    label: lane.session.program,
    note: `${lane.session.pid}`,
    root: lane.depth === 0 && !circle,
    parts: lane.stretches.map((part) => ({
      first: part.first,
      last: part.last,
      blocker: part.blocker,
      fill: stretchFill(part),
      outlined: !part.active,
      words: part.blocker > 0 ? `${part.wait_label}, blocked by pid ${part.blocker}` : part.wait_label,
    })),
  }));

/** Names an episode in the address. */
export const episodeKey = (one: Episode): string => `${one.pid}-${one.started_s}-${one.start}`;

/**
 * The episode that was chosen: by its name, else the one of the same session nearest in time, for a window that begins
 * within an episode shows it from there on. Without a choice, or when it is not in this window, the first.
 */
export function chosenEpisode(episodes: readonly Episode[], name: string | undefined): Episode | undefined {
  const [pid, started, start] = (name ?? "").split("-").map(Number);
  const same = episodes.filter((one) => one.pid === pid && one.started_s === started);
  const away = (one: Episode): number => Math.abs(one.start - (start ?? 0));
  return same.toSorted((a, b) => away(a) - away(b))[0] ?? episodes[0];
}

/** Whether it is no chain with a root: sessions that wait for each other. */
export const isCircle = (one: Episode): boolean => one.state === "in a circle";

const partyWords = (one: Schemas["WatchedSessionOut"]): string => `${one.program || "a session"} (pid ${one.pid})`;

/** What becomes of a circle. */
export const CIRCLE_ENDS =
  "After deadlock_timeout the server ends the transaction of one of them, which lets the others go on.";

/** Who an episode's root is, in a few words. */
export function rootWords(one: Episode): string {
  if (one.state === "prepared transaction") return `prepared transaction ${one.gid || "(unnamed)"}`;
  if (isCircle(one)) return `circle of ${one.parties.map(partyWords).join(" and ")}`;
  return one.session ? one.session.program : `pid ${one.pid}, not sampled`;
}

/** "14 sessions waited 3 min 20 s behind ops-console (pid 4411), idle in transaction." */
export function episodeSentence(one: Episode): string {
  if (isCircle(one)) {
    const others = one.waiters - one.parties.length;
    const behind = others > 0 ? `, and ${plural(others, "session", "sessions")} blocked by them` : "";
    const over = one.held?.object ? `, over ${thingWords(one.held.object, "")}` : "";
    return `${one.parties.map(partyWords).join(" and ")} wait in a circle, each for what the next one holds${over}${behind}: ${duration(1000 * one.lost_s)} in all.`;
  }
  const who = one.session && one.pid > 0 ? `${rootWords(one)} (pid ${one.pid})` : rootWords(one);
  const state = one.session ? `, ${one.state}` : "";
  const thing = one.held?.object ? `, for ${thingWords(one.held.object, one.held.which)}` : "";
  return `${plural(one.waiters, "session", "sessions")} waited ${duration(1000 * one.lost_s)} in all, blocked by ${who}${state}${thing}.`;
}

/** The whole window in a sentence. */
export function blockingSentence(found: Schemas["BlockingOut"]): string {
  const [worst] = found.episodes;
  if (found.ticks === 0) return "Nothing was sampled with a lock wait in this window.";
  if (!worst || found.lost_s === 0) return "No session waited for a lock in this window.";
  const share = Math.round((100 * worst.lost_s) / found.lost_s);
  const rest = found.episodes.length + found.more > 1 ? ` That is ${share}% of all lock waiting in this window.` : "";
  return `${episodeSentence(worst)}${rest}`;
}

/** Why a root may be outside the application; empty when it is not. */
export function outsideWords(one: Episode): string {
  if (!one.outside) return "";
  if (one.state === "prepared transaction")
    return "A transaction that was prepared and then left: it has no session, and holds its locks until somebody ends it.";
  if (one.share === null || !one.session) return "";
  const percent = one.share === 0 ? "none" : `${(100 * one.share).toPrecision(1)}%`;
  const host = one.session.client ? ` from ${one.session.client}` : "";
  return `Outside the usual traffic: ${one.session.program} as ${one.session.user}${host} makes up ${percent} of the load around it.`;
}

/** "a row of sailing", "row (0,3) of sailing", "advisory lock 42". */
export const thingWords = (object: string, which: string): string =>
  object.startsWith("row of ")
    ? which
      ? `row ${which} ${object.slice(4)}`
      : `a ${object}`
    : [object, which].filter(Boolean).join(" ");

/** What one behind another waits for, and whether for a lock or only for its turn. */
export function linkWords(link: Schemas["LinkOut"]): string {
  const edge = link.edge;
  if (!edge) return "";
  if (!edge.object) return "waits; the lock table had changed when it was read";
  const thing = thingWords(edge.object, edge.which);
  const waited = edge.waited_ms === null ? "" : ` for ${duration(edge.waited_ms)}`;
  const why =
    edge.via === "queue"
      ? "it is only queued: the session ahead asked first and does not hold the lock yet"
      : `the one ahead ${verbOf(link.holds)}`;
  return `waits${waited} to ${link.wants.replace(/\bit\b/, thing)}${link.wants.includes("it") ? "" : ` (${thing})`}; ${why}`;
}

const verbOf = (holds: string): string => (/^(has|is|asked)/.test(holds) ? holds : `may ${holds}`);

export interface Alike {
  readonly link: Schemas["LinkOut"];
  readonly more: number; // that do and want the same, with nobody behind them
}

/** A chain with those that do the same behind the same one told once. */
export function alike(links: readonly Schemas["LinkOut"][]): Alike[] {
  const rows: { link: Schemas["LinkOut"]; more: number }[] = [];
  const known = new Map<string, { link: Schemas["LinkOut"]; more: number }>();
  for (const link of links) {
    const [one, edge] = [link.session, link.edge];
    const key = [edge?.blocker, one?.program, one?.query_id, edge?.object, edge?.via, edge?.mode_wanted].join("|");
    const same = link.behind === 0 && link.depth > 0 ? known.get(key) : undefined;
    if (same) same.more += 1;
    else {
      const row = { link, more: 0 };
      rows.push(row);
      if (link.behind === 0) known.set(key, row);
    }
  }
  return rows;
}

/** How a statement of a transaction was seen: at work in samples, in the log, or only named by the idle session. */
export function ranWords(one: Schemas["TransactionStatementOut"]): string {
  const logged = one.logged
    ? `${one.logged > 1 ? `${one.logged} times, ` : ""}${duration(one.took_ms)} by the log`
    : "";
  if (logged) return logged;
  return one.busy_s ? `seen at work for ${duration(1000 * one.busy_s)}` : "its last statement";
}
