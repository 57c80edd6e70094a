import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { duration, plural } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";

interface Props {
  readonly server: number;
  readonly session: Schemas["LiveSessionOut"]; // as it was when the dialog was opened
  readonly now: Schemas["LiveSessionOut"] | undefined; // the same session in the newest sample, if it is there
  readonly onClose: () => void;
}

/**
 * Ends a statement or a session: says what will be lost and who goes on, asks for a reason, shows what came of it.
 *
 * It holds on to the session that it was opened for, whatever becomes of the list behind it.
 */
export const EndDialog = ({ server, session, now, onClose }: Props) => {
  const queries = useQueryClient();
  const [what, setWhat] = useState<"statement" | "session">(session.active ? "statement" : "session");
  const [reason, setReason] = useState("");
  const act = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/servers/{server_id}/sessions/{pid}/end", {
          params: { path: { server_id: server, pid: session.pid } },
          body: {
            started_s: session.started_s,
            statement_ms: what === "statement" ? session.statement_ms : null,
            what,
            reason,
            confirmed: true,
          },
        }),
      ),
    onSettled: () => void queries.invalidateQueries({ queryKey: ["ended", server] }),
  });
  const done = act.data;
  const changed = done ? "" : changeWords(session, now);
  return (
    <Dialog title={`End ${session.program}, pid ${session.pid}`} open onClose={onClose} keep={reason !== ""}>
      {done ? (
        <>
          <p className="py-1">
            <b className="font-semibold">{done.answer}.</b> {afterWords(done)}
          </p>
          <p className="text-muted text-sm">Kept with your name and reason under Sessions.</p>
          <div className="mt-3 flex justify-end">
            <Button look="action" onClick={onClose}>
              close
            </Button>
          </div>
        </>
      ) : (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            act.mutate();
          }}
        >
          <ul className="list-disc pl-5">
            {endFacts(session).map((fact) => (
              <li key={fact}>{fact}</li>
            ))}
          </ul>
          {session.statement ? (
            <pre className="bg-raised my-2 max-h-24 overflow-auto p-2 font-mono text-xs whitespace-pre-wrap">
              {session.statement}
            </pre>
          ) : null}
          {changed ? (
            <p role="status" className="my-2 font-semibold">
              {changed}
            </p>
          ) : null}
          <fieldset className="my-2">
            <legend className="sr-only">what to end</legend>
            <label className="block">
              <input
                type="radio"
                name="what"
                checked={what === "statement"}
                disabled={!session.active}
                onChange={() => setWhat("statement")}
              />{" "}
              the statement{session.active ? ": its transaction fails, the connection stays" : ": it runs none"}
            </label>
            <label className="block">
              <input type="radio" name="what" checked={what === "session"} onChange={() => setWhat("session")} /> the
              session: its transaction is rolled back and the connection closed
            </label>
          </fieldset>
          <label className="block">
            Why? It is kept with your name.
            <input
              value={reason}
              required
              minLength={3}
              onChange={(event) => setReason(event.target.value)}
              className="border-line bg-raised mt-1 w-full border px-2 py-1"
            />
          </label>
          {act.error ? (
            <Failure
              title="Nothing was ended"
              detail={act.error.message}
              remedy={act.error instanceof ApiError ? act.error.remedy : null}
            />
          ) : null}
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>do not end it</Button>
            <Button look="action" type="submit" disabled={reason.trim().length < 3 || act.isPending}>
              {act.isPending ? "ending …" : `end the ${what}`}
            </Button>
          </div>
        </form>
      )}
    </Dialog>
  );
};

/** What is known before: what it runs, what will be lost, who goes on. */
export function endFacts(one: Schemas["LiveSessionOut"]): string[] {
  const open =
    one.transaction_ms === null
      ? "It has no transaction open, or its age is not known."
      : `Its transaction is open for ${duration(one.transaction_ms)}; all it changed since then is rolled back, which can take as long again.`;
  const doing = one.active
    ? `It is ${one.wait_label}${one.statement_ms === null ? "" : `, in a statement of ${duration(one.statement_ms)}`}.`
    : `It is ${one.state}, and runs nothing; what it ran last stands below.`;
  const freed = one.blocks
    ? `${plural(one.blocks, "session stands", "sessions stand")} behind it and can go on.`
    : "Nobody stands behind it.";
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
    ? `${plural(done.freed.length, "session that stood", "sessions that stood")} behind it went on.`
    : "Nobody had stood behind it.";
  return done.still.length ? `${freed} ${done.still.length} still wait behind it.` : freed;
}
