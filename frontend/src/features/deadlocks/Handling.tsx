import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { localMinute, present, readLocalMinute } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { minute } from "./DeadlocksPage";

interface HandlingProps {
  readonly server: number;
  readonly pattern: Schemas["PatternOut"];
  readonly comments: readonly Schemas["CommentOut"][];
  readonly canAct: boolean;
}

/** What was done about a pattern, since when it is counted whether it comes back, and what colleagues say of it. */
export const Handling = ({ server, pattern, comments, canAct }: HandlingProps) => (
  <section aria-label="Handling" className="mt-4">
    <h2 className="border-strong border-b font-semibold">Done about it</h2>
    {pattern.handled_at === null ? (
      <p className="text-muted py-1 text-sm">
        Nothing noted yet. From a noted change on it is counted whether it comes back.
      </p>
    ) : (
      <p className="py-1 text-sm">
        {minute(pattern.handled_at)}, {pattern.handled_by}: {pattern.change}
      </p>
    )}
    {canAct ? <Handled server={server} pattern={pattern} /> : null}
    <ul>
      {comments.map((one) => (
        <li key={one.at} className="border-line border-b py-0.5 text-sm">
          <span className="text-muted">
            {minute(one.at)}, {one.by}:
          </span>{" "}
          {one.text}
        </li>
      ))}
    </ul>
    {canAct ? <Comment server={server} pattern={pattern} /> : null}
  </section>
);

type PartProps = Pick<HandlingProps, "server" | "pattern">;

/** Asks again for what a change of a pattern shows in. */
function useFresh({ server, pattern }: PartProps): () => void {
  const queries = useQueryClient();
  return () => {
    void queries.invalidateQueries({ queryKey: ["deadlock", server, pattern.pattern] });
    void queries.invalidateQueries({ queryKey: ["deadlocks", server] });
  };
}

const Handled = ({ server, pattern }: PartProps) => {
  const fresh = useFresh({ server, pattern });
  const [change, setChange] = useState("");
  const [since, setSince] = useState(""); // as the browser writes it, by the clock of this screen
  const handle = useMutation({
    mutationFn: (handled: boolean) =>
      ask(
        client.PUT("/api/v1/servers/{server_id}/deadlocks/{pattern}/handled", {
          params: { path: { server_id: server, pattern: pattern.pattern } },
          body: { handled, change, at: handled && since ? readLocalMinute(since, present()) : null },
        }),
      ),
    onSuccess: () => {
      setChange("");
      setSince("");
      fresh();
    },
  });
  return (
    <>
      <form
        className="flex gap-2 py-1"
        onSubmit={(event) => {
          event.preventDefault();
          handle.mutate(true);
        }}
      >
        <input
          value={change}
          onChange={(event) => setChange(event.target.value)}
          placeholder="what was changed: index, order, release"
          aria-label="what was changed"
          className="border-line bg-raised min-w-0 grow border px-2"
        />
        <label className="text-muted flex items-baseline gap-1 text-sm">
          since
          <input
            type="datetime-local"
            value={since}
            max={localMinute(present())}
            onChange={(event) => setSince(event.target.value)}
            aria-label="since when it is so; empty: now"
            className="border-line bg-raised border px-1"
          />
        </label>
        <Button type="submit" disabled={!change.trim() || handle.isPending}>
          {since ? "count from then" : "count from now"}
        </Button>
        {pattern.handled_at === null ? null : <Button onClick={() => handle.mutate(false)}>take back</Button>}
      </form>
      {handle.error ? <Failure title="It was not noted" detail={handle.error.message} /> : null}
    </>
  );
};

const Comment = ({ server, pattern }: PartProps) => {
  const fresh = useFresh({ server, pattern });
  const [text, setText] = useState("");
  const comment = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/servers/{server_id}/deadlocks/{pattern}/comments", {
          params: { path: { server_id: server, pattern: pattern.pattern } },
          body: { text },
        }),
      ),
    onSuccess: () => {
      setText("");
      fresh();
    },
  });
  return (
    <>
      <form
        className="flex gap-2 py-1"
        onSubmit={(event) => {
          event.preventDefault();
          comment.mutate();
        }}
      >
        <input
          value={text}
          onChange={(event) => setText(event.target.value)}
          placeholder="a comment for the colleagues"
          aria-label="comment"
          className="border-line bg-raised min-w-0 grow border px-2"
        />
        <Button type="submit" disabled={!text.trim() || comment.isPending}>
          comment
        </Button>
      </form>
      {comment.error ? <Failure title="The comment was not kept" detail={comment.error.message} /> : null}
    </>
  );
};
