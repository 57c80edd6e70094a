import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

/** What the transaction of a session had run by a moment. */
export const beforeQuery = (server: number, pid: number, started: number, at: number) =>
  queryOptions({
    queryKey: ["before", server, pid, started, at],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/blocking/before", {
          params: { path: { server_id: server }, query: { pid, started, at } },
          signal,
        }),
      ),
    placeholderData: (old, query) => (query?.queryKey[2] === pid ? old : undefined),
  });

/** All lock waiting of a window. */
export const blockingQuery = (server: number, spec: WindowSpec, pick: readonly string[]) =>
  queryOptions({
    queryKey: ["blocking", server, spec, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/blocking", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), pick: [...pick] } },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** The root and all behind it, over its own time. */
export const lanesQuery = (server: number, from: number, to: number, pid: number, started: number) =>
  queryOptions({
    queryKey: ["lanes", server, from, to, pid, started],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/blocking/lanes", {
          params: { path: { server_id: server }, query: { from, to, pid, started } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });

/** The chains of a moment. */
export const chainsQuery = (server: number, at: number) =>
  queryOptions({
    queryKey: ["chains", server, at],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/blocking/chains", {
          params: { path: { server_id: server }, query: { at } },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });
