// What ending a session means before and after it, in words. Pure: no React, no clock.
import type { Schemas } from "../../api/client";
import { duration, plural } from "../../lib/units";

/** What is known before: what it runs, what will be lost, who goes on. */
export function endFacts(one: Schemas["LiveSessionOut"]): string[] {
  const open =
    one.transaction_ms === null
      ? "It has no transaction open, or its age is not known."
      : `Its transaction is open for ${duration(one.transaction_ms)}; all it changed since then is rolled back, which can take as long again.`;
  const doing = one.active
    ? `It is ${one.wait_label}${one.statement_ms === null ? "" : `, in a statement of ${duration(one.statement_ms)}`}.`
    : `It is ${one.state}, and runs nothing; its last statement is below.`;
  const freed = one.blocks
    ? `${plural(one.blocks, "session is", "sessions are")} blocked by it and can go on.`
    : "It blocks no session.";
  return [`${one.user} in ${one.database}${one.client ? ` from ${one.client}` : ""}.`, doing, open, freed];
}

/** What has become of a session since the dialog was opened; empty while it is as it was. */
export function changeWords(then: Schemas["LiveSessionOut"], now: Schemas["LiveSessionOut"] | undefined): string {
  if (!now) return "Since you opened this it is not seen any more: it ended, or rests without a transaction.";
  if (then.active && !now.active) return "Since you opened this its statement ended.";
  const another =
    then.query_id !== now.query_id ||
    (then.statement_ms !== null && now.statement_ms !== null && now.statement_ms < then.statement_ms);
  return then.active && another ? "Since you opened this it began another statement." : "";
}

/** What came of it. */
export function afterWords(done: Schemas["EndedOut"]): string {
  const freed = done.freed.length
    ? `${plural(done.freed.length, "session that it blocked goes", "sessions that it blocked go")} on.`
    : "It had blocked no session.";
  return done.still.length ? `${freed} ${done.still.length} still wait.` : freed;
}
