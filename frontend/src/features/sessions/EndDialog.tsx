import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";
import { afterWords, changeWords, endFacts } from "./ending";

type What = "statement" | "session";

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
  const [what, setWhat] = useState<What>(session.active ? "statement" : "session");
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
        <Outcome done={done} onClose={onClose} />
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
          <WhatToEnd what={what} active={session.active} onWhat={setWhat} />
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

const Outcome = ({ done, onClose }: { readonly done: Schemas["EndedOut"]; readonly onClose: () => void }) => (
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
);

interface WhatProps {
  readonly what: What;
  readonly active: boolean;
  readonly onWhat: (what: What) => void;
}

/** The milder choice first: cancelling a statement leaves the connection. */
const WhatToEnd = ({ what, active, onWhat }: WhatProps) => (
  <fieldset className="my-2">
    <legend className="sr-only">what to end</legend>
    <label className="block">
      <input
        type="radio"
        name="what"
        checked={what === "statement"}
        disabled={!active}
        onChange={() => onWhat("statement")}
      />{" "}
      the statement{active ? ": its transaction fails, the connection stays" : ": it runs none"}
    </label>
    <label className="block">
      <input type="radio" name="what" checked={what === "session"} onChange={() => onWhat("session")} /> the session:
      its transaction is rolled back and the connection closed
    </label>
  </fieldset>
);
