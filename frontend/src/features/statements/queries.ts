import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";
import type { Measure } from "./model";

const COUNTERS_EVERY_MS = 15_000; // the server's counters are read that often; asking more often shows nothing new

const USUAL_STALE_MS = 600_000; // it is made of whole hours of earlier days

const slower = (spec: WindowSpec): number | false => {
  const ms = refreshMs(spec);
  return ms === false ? false : Math.max(ms, COUNTERS_EVERY_MS);
};

export interface RankingSpec {
  readonly sort: Measure;
  readonly ascending: boolean;
  readonly containing: string;
  readonly where: string[];
  readonly tools: boolean;
  readonly starred: boolean;
  readonly pick: string[];
}

/** Statements of a window, ranked. */
export const rankingQuery = (server: number, spec: WindowSpec, given: RankingSpec) =>
  queryOptions({
    queryKey: ["statements", server, spec, given],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), ...given, limit: 200 } },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** What statements usually take at these hours, in ms a second by statement. */
export const usualTimesQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["usual-times", server, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/usual-times", {
          params: { path: { server_id: server }, query: windowQuery(spec) },
          signal,
        }),
      ),
    select: (rows) => new Map(rows.map((row) => [row.query_id, row.ms_per_s])),
    staleTime: USUAL_STALE_MS,
  });

/** One statement in a window. The identifier is a 64-bit number, so it stays a text. */
export const statementQuery = (server: number, queryId: string, spec: WindowSpec, pick: readonly string[]) =>
  queryOptions({
    queryKey: ["statement", server, queryId, spec, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/{query_id}", {
          params: { path: { server_id: server, query_id: queryId }, query: { ...windowQuery(spec), pick: [...pick] } },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : 5000 },
    placeholderData: (old, query) => (query?.queryKey[2] === queryId ? old : undefined),
  });

/** The memory a statement needed, and how often it did not fit. */
export const memoryQuery = (server: number, queryId: string, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["memory", server, queryId, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/{query_id}/memory", {
          params: { path: { server_id: server, query_id: queryId }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[2] === queryId ? old : undefined),
  });

/** The tables a statement touches. It asks the watched server, so not with each reading of its counters. */
export const tablesQuery = (server: number, queryId: string) =>
  queryOptions({
    queryKey: ["tables", server, queryId],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/{query_id}/tables", {
          params: { path: { server_id: server, query_id: queryId } },
          signal,
        }),
      ),
    staleTime: 60_000,
    retry: false,
  });

/** The statement on every server of the group. */
export const nodesQuery = (server: number, queryId: string, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["nodes", server, queryId, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/{query_id}/nodes", {
          params: { path: { server_id: server, query_id: queryId }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[2] === queryId ? old : undefined),
  });

/** The user's saved filters of the ranking. */
export const filtersQuery = queryOptions({
  queryKey: ["filters"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/filters", { signal })),
});

export type Against = "previous" | "day" | "week";

/** Another window, in milliseconds since 1970. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

const againstQuery = (against: Against | Span) =>
  typeof against === "string"
    ? { against }
    : ({ against: "window", other_from: against.from, other_to: against.to } as const);

/** Why the time in statements changed against another window. */
export const splitQuery = (server: number, spec: WindowSpec, against: Against | Span, pick: readonly string[]) =>
  queryOptions({
    queryKey: ["split", server, spec, against, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/split", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), ...againstQuery(against), pick: [...pick] },
          },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
    retry: false,
  });

/** The endpoints whose requests run a statement. */
export const runByQuery = (server: number, query: string, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["run-by", server, query, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/{query_id}/endpoints", {
          params: { path: { server_id: server, query_id: query }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) },
  });
