// A session's tape in lanes and in words. Pure: no React, no clock.
import type { Schemas } from "../../api/client";
import type { Lane } from "../../charts/geometry/lanes";
import { keyOf, stretchFill } from "../../charts/sessions";
import { stamp } from "../../lib/time";
import { duration, plural } from "../../lib/units";

type Tape = Schemas["TapeOut"];

const PREPARED = -1; // in place of a pid: a prepared transaction, which has no session

/** Statements on top, then what the session did, and below it each session that blocked it, while it did. */
export function tapeLanes(found: Tape): Lane[] {
  const others = othersOf(found);
  const blocked = new Map<number, Tape["stretches"][number][]>();
  for (const part of found.stretches) {
    const same = blocked.get(part.blocker);
    if (same) same.push(part);
    else blocked.set(part.blocker, [part]);
  }
  const doing = found.stretches.map((part) => ({
    first: part.first,
    last: part.last,
    blocker: part.blocker,
    fill: stretchFill(part),
    outlined: !part.active,
    words: part.blocker ? `${part.wait_label}, blocked by ${nameOf(others, part.blocker)}` : part.wait_label,
  }));
  const ran = found.ran.map((run, i) => ({
    first: run.began,
    last: Math.max(run.seen, run.began),
    blocker: 0,
    fill: i % 2 ? "var(--strong)" : "var(--muted)",
    outlined: false,
    words: `${run.statement || "a statement"}, since ${stamp(run.began)}`,
  }));
  const blocking = { blocker: 0, fill: "var(--strong)", outlined: false, words: "blocking it" };
  return [
    { key: "ran", pid: -2, label: "statements", note: "", root: false, parts: ran },
    { key: "doing", pid: found.session.pid, label: "doing", note: "", root: true, parts: doing },
    ...[...others.values()].map((other) => ({
      key: keyOf(other),
      pid: other.pid,
      label: other.program,
      note: `${other.pid}`,
      root: false,
      parts: (blocked.get(other.pid) ?? []).map((part) => ({ first: part.first, last: part.last, ...blocking })),
    })),
  ];
}

const othersOf = (found: Tape) => new Map(found.others.map((other) => [other.pid, other]));

/** "ops-console (pid 7)", as far as the one who blocked it was sampled. */
function nameOf(others: ReadonlyMap<number, Tape["others"][number]>, pid: number): string {
  if (pid === PREPARED) return "a prepared transaction";
  const other = others.get(pid);
  return other ? `${other.program} (pid ${pid})` : `pid ${pid}, not sampled`;
}

/** What this session did with its time in the window. Each blocker answers for its own time alone. */
export function tapeSentence(found: Tape): string {
  const one = found.session;
  const [most] = found.waits;
  const seen = found.waits.reduce((sum, wait) => sum + wait.ticks, 0);
  const main = most ? `, ${Math.round((100 * most.ticks) / Math.max(1, seen))}% of it ${most.label}` : "";
  return `${one.program} (pid ${one.pid}) was seen busy for ${duration(found.wait_tick_ms * seen)} of ${duration(found.tick_ms * found.ticks)} sampled${main}.${blockedWords(found)}`;
}

function blockedWords(found: Tape): string {
  const ticks = new Map<number, number>();
  for (const part of found.stretches)
    if (part.blocker !== 0) ticks.set(part.blocker, (ticks.get(part.blocker) ?? 0) + part.ticks);
  const [worst, ...rest] = [...ticks].sort((a, b) => b[1] - a[1]);
  if (!worst) return "";
  const by = (amount: number): string => duration(found.tick_ms * amount);
  const others = rest.reduce((sum, [, amount]) => sum + amount, 0);
  const more = rest.length ? `, and for ${by(others)} by ${plural(rest.length, "other", "others")}` : "";
  return ` It was blocked for ${by(worst[1])} by ${nameOf(othersOf(found), worst[0])}${more}.`;
}
