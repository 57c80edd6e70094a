import { queryOptions, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";

import { ask, client, type Schemas } from "../api/client";
import { DIMENSIONS } from "../lib/dimensions";
import { duration } from "../lib/units";
import { AnswerState } from "../ui/Answer";
import { Dialog } from "../ui/Dialog";

const TYPED_MS = 200; // without a further letter, before it is asked
const LEAST_LETTERS = 2;

type Hit = Schemas["HitOut"];

const foundQuery = (server: number, words: string) =>
  queryOptions({
    queryKey: ["search", server, words],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/search", {
          params: { path: { server_id: server }, query: { words } },
          signal,
        }),
      ),
  });

interface Props {
  readonly server: number;
  readonly open: boolean;
  readonly onClose: () => void;
}

/** Anything a server was seen to have, by any part of it: statements, sessions, programs, users, tables, waits. */
export const Search = ({ server, open, onClose }: Props) => {
  const [text, setText] = useState("");
  const words = useSettled(text.trim());
  const asked = words.length >= LEAST_LETTERS;
  const found = useQuery({ ...foundQuery(server, words), enabled: open && asked });
  const go = useGo(server, onClose);
  const hits = asked ? (found.data?.hits ?? []) : [];
  return (
    <Dialog title="Search this server" open={open} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          // Only what was found for these very words: not a hit of those that stood here before.
          const first = words === text.trim() ? hits[0] : undefined;
          if (first) go(first);
        }}
      >
        <input
          type="search"
          autoFocus
          aria-label="words to search for"
          placeholder="part of a statement, a program, user, table, wait, or a pid"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="bg-raised border-strong w-full border px-2 py-1"
        />
      </form>
      {asked ? <AnswerState of={found} what="what contains this" /> : null}
      <ul className="mt-2" aria-label="found">
        {hits.map((hit) => (
          <li key={`${hit.kind}:${hit.value}`} className="border-line border-t">
            <button
              type="button"
              onClick={() => go(hit)}
              className="hover:bg-raised flex w-full items-baseline gap-3 px-1 py-1 text-left"
            >
              <span className="text-muted w-24 shrink-0 text-sm">{kindWords(hit)}</span>
              <span className={`min-w-0 grow truncate ${hit.kind === "statement" ? "font-mono text-xs" : ""}`}>
                {hit.label}
              </span>
              <span className="text-muted shrink-0 text-sm">
                {hit.kind !== "statement"
                  ? ""
                  : hit.ms === null
                    ? "not in the last day"
                    : `${duration(hit.ms)} in the last day`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {asked && found.data?.hits.length === 0 ? (
        <p className="text-muted mt-2">Nothing that was seen of this server contains this.</p>
      ) : null}
      {asked && found.data?.more ? (
        <p className="text-muted mt-2 text-sm">There are more statements; add a word.</p>
      ) : null}
    </Dialog>
  );
};

const kindWords = ({ kind }: Hit): string =>
  kind === "session" ? "sessions" : kind === "trace" ? "request" : DIMENSIONS[kind].toLowerCase();

/** The text once no further letter has come for a moment. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), TYPED_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [text]);
  return settled;
}

/** To the page of a statement, to sessions with a pid, or to the load of what was found. */
function useGo(server: number, onClose: () => void): (hit: Hit) => void {
  const navigate = useNavigate();
  const params = { server: String(server) };
  return (hit) => {
    onClose();
    if (hit.kind === "statement")
      void navigate({ to: "/servers/$server/statements/$query", params: { ...params, query: hit.value } });
    else if (hit.kind === "endpoint")
      void navigate({ to: "/servers/$server/endpoints/$endpoint", params: { ...params, endpoint: hit.value } });
    else if (hit.kind === "trace")
      void navigate({ to: "/servers/$server/requests/$trace", params: { ...params, trace: hit.value } });
    else if (hit.kind === "session")
      void navigate({ to: "/servers/$server/sessions/window", params, search: { find: hit.value } });
    else void navigate({ to: "/servers/$server/load", params, search: { pick: [`${hit.kind}:${hit.value}`] } });
  };
}
