// Sessions in words, and in order. Pure: no React, no clock.
import type { Schemas } from "../../api/client";
import { keyOf } from "../../charts/sessions";
import { plural } from "../../lib/units";

type Live = Schemas["LiveSessionOut"];

/** Those that match, and the one that is followed; those who hold up most come first, then the oldest transactions. */
export function arranged(all: readonly Live[], containing: string, followed: string | null): Live[] {
  const words = containing.trim().toLowerCase();
  const matches = (one: Live): boolean =>
    words === "" ||
    (/^\d+$/.test(words) && String(one.pid) === words) ||
    (!/^\d+$/.test(words) && // a number is a pid, and not a piece of an address
      [one.program, one.user, one.client, one.database, one.statement, one.wait_label, one.state].some((text) =>
        text.toLowerCase().includes(words),
      ));
  return all
    .filter((one) => matches(one) || keyOf(one) === followed)
    .toSorted((a, b) => b.blocks - a.blocks || (b.transaction_ms ?? -1) - (a.transaction_ms ?? -1) || a.pid - b.pid);
}

/** What matters about everybody at the newest tick. */
export function nowSentence(sessions: readonly Live[]): string {
  const active = sessions.filter((one) => one.active);
  const locked = active.filter((one) => one.kind === "lock");
  const idle = sessions.length - active.length;
  const worst = sessions.toSorted((a, b) => b.blocks - a.blocks)[0];
  const held =
    worst && worst.blocks > 0
      ? ` ${plural(worst.blocks, "session is", "sessions are")} blocked by ${worst.program} (pid ${worst.pid}, ${worst.active ? worst.wait_label : worst.state}).`
      : "";
  return `${plural(active.length, "session is", "sessions are")} active, ${locked.length ? `${locked.length} of them wait for locks` : "none waits for a lock"}; ${idle} ${idle === 1 ? "idles" : "idle"} inside a transaction.${held}`;
}
