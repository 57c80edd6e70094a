import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { useKeptFocus } from "../../ui/useKeptFocus";
import { type History, type State, type Which, sayState } from "./queries";

interface Props {
  readonly server: number;
  readonly of: Pick<History, "id" | "state" | "state_at" | "state_by" | "reason" | "verdict" | "title">;
  readonly canAct: boolean;
}

/** What became of a lead, whether that helped, and the ways to say so. */
export const Handling = ({ server, of, canAct }: Props) => (
  <div className="text-sm whitespace-normal">
    {of.state === "open" ? (
      <span className="text-muted">open</span>
    ) : (
      <>
        {of.state} {when(of.state_at, false)} by {of.state_by}
        {of.reason ? `: ${of.reason}` : ""}
      </>
    )}
    {of.verdict ? (
      <>
        {"; "}
        <Link
          to="/servers/$server/compare"
          params={{ server: String(server) }}
          search={{ followed: of.verdict.id } as never}
          className="text-accent underline"
          title={of.verdict.sentence}
        >
          {of.verdict.label}
        </Link>
      </>
    ) : null}
    {canAct ? <Acts server={server} which={{ id: of.id }} state={of.state} title={of.title} /> : null}
  </div>
);

interface ActsProps {
  readonly server: number;
  readonly which: Which;
  readonly state: string;
  readonly title: string;
}

/** Handled, dismissed with a reason, or open again. */
export const Acts = ({ server, which, state, title }: ActsProps) => {
  const queries = useQueryClient();
  const [asking, setAsking] = useState<State | null>(null);
  const [reason, setReason] = useState("");
  const root = useKeptFocus<HTMLSpanElement>("input, button");
  const say = useMutation({
    mutationFn: (to: State) => sayState(server, which, to, reason),
    onSuccess: async () => {
      void queries.invalidateQueries({ queryKey: ["marks", server] });
      await queries.invalidateQueries({ queryKey: ["leads", server] }); // else it would be offered once more until then
      setAsking(null);
      setReason("");
    },
  });
  const failed = say.error ? <Failure title="It was not noted" detail={say.error.message} /> : null;
  return (
    <span ref={root} className="contents">
      {asking !== null ? (
        <form
          className="mt-1 flex items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            say.mutate(asking);
          }}
        >
          <input
            autoFocus
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            aria-label={asking === "handled" ? "what was done about it" : "why it is no trouble"}
            placeholder={asking === "handled" ? "what was done about it" : "why it is no trouble"}
            className="border-line bg-raised w-64 border px-2"
          />
          <Button type="submit" disabled={(asking === "dismissed" && !reason.trim()) || say.isPending}>
            {asking === "handled" ? "handled" : "dismiss"}
          </Button>
          <Button onClick={() => setAsking(null)}>leave it</Button>
          {failed}
        </form>
      ) : (
        <span className="ml-2 inline-flex gap-2">
          {state === "open" ? (
            <>
              <Button aria-label={`handled: ${title}`} onClick={() => setAsking("handled")}>
                handled
              </Button>
              <Button aria-label={`dismiss: ${title}`} onClick={() => setAsking("dismissed")}>
                dismiss
              </Button>
            </>
          ) : (
            <Button aria-label={`open again: ${title}`} disabled={say.isPending} onClick={() => say.mutate("open")}>
              open again
            </Button>
          )}
          {failed}
        </span>
      )}
    </span>
  );
};
