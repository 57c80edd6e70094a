import { queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";

export type History = Schemas["LeadHistoryOut"];
export type State = Schemas["LeadStateBody"]["state"];

export const isState = (text: string | undefined): text is State =>
  text === "open" || text === "handled" || text === "dismissed";

const AGAIN_MS = 30_000;

export const MOST_LEADS = 200; // of a server's history, those seen last

/** Leads of a server by identity, those in one state or all. */
export const historyQuery = (server: number, state: State | null) =>
  queryOptions({
    queryKey: ["leads", server, "history", state],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/leads/history", {
          params: { path: { server_id: server }, query: { state: state === null ? [] : [state] } },
          signal,
        }),
      ),
    meta: { againMs: AGAIN_MS },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** What becomes of a lead: known by its number, or by its identity in a window. */
export type Which = { readonly id: number } | { readonly identity: string; readonly from: number; readonly to: number };

export const sayState = (server: number, which: Which, state: State, reason: string) =>
  ask(
    client.PUT("/api/v1/servers/{server_id}/leads/state", {
      params: { path: { server_id: server } },
      body: "id" in which ? { id: which.id, identity: "", state, reason } : { ...which, state, reason },
    }),
  );
