import { queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

export type Change = Schemas["NotedChangeOut"];
export type Comparison = Schemas["CompareOut"];
export type Compared = Schemas["ComparedOut"];

export const MOST_CHANGES = 300; // the newest of a window
const AGAIN_MS = 15_000; // verdicts come about every half minute

/** What changed in a window, with whether it helped. */
export const changesQuery = (server: number, spec: WindowSpec, kinds: readonly Change["kind"][], containing: string) =>
  queryOptions({
    queryKey: ["changes", server, spec, kinds, containing],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/changes", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), kind: [...kinds], containing, limit: MOST_CHANGES },
          },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : AGAIN_MS },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** Two windows of a server, or something that is followed, by its number. */
export const compareQuery = (server: number, asked: Asked) =>
  queryOptions({
    queryKey: ["compare", server, asked],
    queryFn: ({ signal }) =>
      "followed" in asked
        ? ask(
            client.GET("/api/v1/servers/{server_id}/followed/{followed_id}", {
              params: { path: { server_id: server, followed_id: asked.followed } },
              signal,
            }),
          )
        : ask(
            client.GET("/api/v1/servers/{server_id}/compare", {
              params: {
                path: { server_id: server },
                query: {
                  ...{ before_from: Math.round(asked.before.from), before_to: Math.round(asked.before.to) },
                  ...{ from: Math.round(asked.after.from), to: Math.round(asked.after.to) },
                  table: asked.table,
                },
              },
              signal,
            }),
          ),
    retry: false,
    meta: { againMs: "followed" in asked ? AGAIN_MS : false },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

interface Span {
  readonly from: number;
  readonly to: number;
}

export type Asked =
  { readonly followed: number } | { readonly before: Span; readonly after: Span; readonly table: string };
