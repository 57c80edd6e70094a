import { queryOptions, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client } from "../api/client";
import { count, duration } from "../lib/units";
import { AnswerState } from "../ui/Answer";
import { Dialog } from "../ui/Dialog";

const DAY_S = 86_400;

const foundQuery = (server: number, containing: string) =>
  queryOptions({
    queryKey: ["search", server, containing],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements", {
          params: { path: { server_id: server }, query: { last: DAY_S, containing, limit: 20 } },
          signal,
        }),
      ),
    placeholderData: (old) => old,
  });

interface Props {
  readonly server: number;
  readonly open: boolean;
  readonly onClose: () => void;
}

/** Statements of the last day by any part of their text. */
export const Search = ({ server, open, onClose }: Props) => {
  const [text, setText] = useState("");
  const navigate = useNavigate();
  const found = useQuery({ ...foundQuery(server, text), enabled: open && text.length > 1 });
  const go = (query: string): void => {
    onClose();
    void navigate({
      to: "/servers/$server/statements/$query",
      params: { server: String(server), query },
    });
  };
  return (
    <Dialog title="Search statements of the last day" open={open} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const first = found.data?.rows[0];
          if (first) go(first.query_id);
        }}
      >
        <input
          type="search"
          autoFocus
          aria-label="part of a statement's text"
          placeholder="a table, a column, any part of the text"
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="bg-raised border-strong w-full border px-2 py-1"
        />
      </form>
      {text.length > 1 ? <AnswerState of={found} what="statements of the last day" /> : null}
      <ul className="mt-2">
        {text.length > 1
          ? found.data?.rows.map((row) => (
              <li key={row.query_id} className="border-line border-t">
                <button
                  type="button"
                  onClick={() => go(row.query_id)}
                  className="hover:bg-raised block w-full px-1 py-1 text-left"
                >
                  <span className="block truncate font-mono text-xs">{row.label}</span>
                  <span className="text-muted text-sm">
                    {count(row.calls)} calls, {duration(row.total_ms)} in all
                  </span>
                </button>
              </li>
            ))
          : null}
      </ul>
      {text.length > 1 && found.data?.rows.length === 0 ? (
        <p className="text-muted mt-2">No statement of the last day contains this.</p>
      ) : null}
    </Dialog>
  );
};
