// One factory per endpoint that several features read: key, data type and options together.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { crop } from "../lib/crop";
import type { DimensionName } from "../lib/dimensions";
import { type WindowSpec, follows } from "../lib/view";
import { ask, client, keepCsrf } from "./client";
import { refreshMs, windowQuery } from "./window";

/** Who is signed in; also brings the token for changes. */
export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: async ({ signal }) => {
    const session = await ask(client.GET("/api/v1/session", { signal }));
    keepCsrf(session.csrf);
    return session;
  },
  staleTime: 60_000,
});

/** All servers at a glance, every few seconds. */
export const serversQuery = queryOptions({
  queryKey: ["servers"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/servers", { signal })),
  meta: { againMs: 3000 },
  placeholderData: keepPreviousData,
});

/** Load over a window, inside a trail, in at most `buckets` cells. */
export const loadQuery = (
  server: number,
  spec: WindowSpec,
  pick: readonly string[],
  buckets: number,
  split: DimensionName = "kind",
  usual = false,
) =>
  queryOptions({
    queryKey: ["load", server, spec, pick, buckets, split, usual],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/load", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), pick: [...pick], buckets, split, usual },
          },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) },
    // The old picture stays while a new window loads, its part of it magnified where it has one, but never another server's.
    placeholderData: (old, query) => {
      if (query?.queryKey[1] !== server || query.queryKey[5] !== split || !old) return undefined;
      return (follows(spec) ? null : crop(old, spec.from, spec.to)) ?? old;
    },
  });

const MACHINE_EVERY_MS = 10_000; // a machine is read that often; asking more often shows nothing new

/** Figures of the machine a server runs on. */
export const machineQuery = (server: number, spec: WindowSpec, buckets: number) =>
  queryOptions({
    queryKey: ["machine", server, spec, buckets],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/machine", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), buckets } },
          signal,
        }),
      ),
    meta: { againMs: follows(spec) ? MACHINE_EVERY_MS : false },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

const MARKS_EVERY_MS = 15_000;
const PATTERNS_EVERY_MS = 10_000;

/** What stands on the rail beside notes: deadlocks, crashes, full disks, refused connections. */
export const marksQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["marks", server, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/marks", {
          params: { path: { server_id: server }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: MARKS_EVERY_MS },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** Patterns of deadlocks in a window, those with a party inside the trail. */
export const patternsQuery = (server: number, spec: WindowSpec, pick: readonly string[]) =>
  queryOptions({
    queryKey: ["deadlocks", server, spec, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/deadlocks", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), pick: [...pick] } },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : PATTERNS_EVERY_MS },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** The sieve's columns inside a trail. */
export const sieveQuery = (
  server: number,
  spec: WindowSpec,
  pick: readonly string[],
  columns: readonly DimensionName[],
  rows: number,
) =>
  queryOptions({
    queryKey: ["sieve", server, spec, pick, columns, rows],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/sieve", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), pick: [...pick], dimension: [...columns], rows },
          },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** How the signed-in person wants to see tables. */
export const layoutsQuery = queryOptions({
  queryKey: ["layouts"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/layouts", { signal })),
  staleTime: Infinity,
});

const LOOKED_EVERY_MS = 15_000; // what is at fault does not change by the second, and finding it out is work

/** What is at fault in a window of up to a day. */
export const leadsQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["leads", server, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/leads", {
          params: { path: { server_id: server }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : LOOKED_EVERY_MS },
    retry: false,
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** Alerts that told of a lead. */
export const alertsOfLeadQuery = (server: number, lead: string) =>
  queryOptions({
    queryKey: ["alerts", "of lead", server, lead],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/alerts", { params: { query: { server, lead, limit: 5 } }, signal })),
    meta: { againMs: 60_000 },
  });
