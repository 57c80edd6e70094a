import { queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";
import type { Region } from "../../charts/geometry/density";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

export interface Only {
  readonly service?: string;
  readonly version?: string;
  readonly host?: string;
  readonly pick?: readonly string[];
  readonly attribute?: readonly string[]; // key=value that requests have; where it narrows, figures are estimates
}

const LOOK_AGAIN_MS = 3000; // for a trace that is under way
const COUNTED_EVERY_MS = 30_000; // counters are read a few times a minute, and pairs show over many readings
const ATTRIBUTES_FOR_MS = 60_000; // which there are seldom changes
const SUMMED_EVERY_MS = 5000; // a trace is judged some seconds after it ended

const again = (spec: WindowSpec): number | false => {
  const ms = refreshMs(spec);
  return ms === false ? false : Math.max(ms, SUMMED_EVERY_MS);
};

const asked = (server: number, spec: WindowSpec, only: Only) => ({
  path: { server_id: server },
  query: {
    ...windowQuery(spec),
    ...{
      service: only.service ?? "",
      version: only.version ?? "",
      host: only.host ?? "",
      pick: [...(only.pick ?? [])],
    },
  },
});

/** As `asked`, with what only single requests can tell. */
const narrowed = (server: number, spec: WindowSpec, only: Only) => {
  const { path, query } = asked(server, spec, only);
  return { path, query: { ...query, attribute: [...(only.attribute ?? [])] } };
};

const common = (server: number, spec: WindowSpec) => ({
  meta: { againMs: again(spec) },
  placeholderData: <T>(old: T | undefined, query: { readonly queryKey: readonly unknown[] } | undefined) =>
    query?.queryKey[1] === server ? old : undefined,
});

/** What endpoints are compared with. */
export const THAN = [
  { value: "", label: "nothing" },
  { value: "before", label: "the window before" },
  { value: "hour", label: "an hour earlier" },
  { value: "day", label: "a day earlier" },
  { value: "week", label: "a week earlier" },
] as const;
export type Than = (typeof THAN)[number]["value"];

/** Endpoints and jobs by the time they take. */
export const endpointsQuery = (server: number, spec: WindowSpec, only: Only, than: Than = "") =>
  queryOptions({
    queryKey: ["endpoints", server, spec, only, than],
    queryFn: ({ signal }) => {
      const { path, query } = narrowed(server, spec, only);
      const params = { path, query: { ...query, beside: than } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/endpoints", { params, signal }));
    },
    ...common(server, spec),
  });

/** What is found of endpoints and what is usual of them. */
export const notedQuery = (server: number, spec: WindowSpec, only: Only) =>
  queryOptions({
    queryKey: ["noted", server, spec, only],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/requests/noted", { params: narrowed(server, spec, only), signal })),
    ...common(server, spec),
  });

/** Attributes that requests of the window have, of one endpoint or of all. */
export const attributesQuery = (server: number, spec: WindowSpec, only: Only, endpoint: number | null) =>
  queryOptions({
    queryKey: ["attributes", server, spec, only.service, only.version, only.host, endpoint],
    queryFn: ({ signal }) => {
      const { path, query } = asked(server, spec, only);
      const params = { path, query: { ...query, endpoint } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/attributes", { params, signal }));
    },
    staleTime: ATTRIBUTES_FOR_MS,
  });

/** Sessions that were seen working for a request; asked again until its trace has come. */
export const sightingsQuery = (server: number, trace: string) =>
  queryOptions({
    queryKey: ["request-sessions", server, trace],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/requests/traces/{trace}/sessions", {
          params: { path: { server_id: server, trace } },
          signal,
        }),
      ),
    meta: { againMs: (data: unknown) => ((data as Schemas["SightingsOut"] | undefined)?.came ? false : LOOK_AGAIN_MS) },
  });

/** One endpoint over a window and the one before. */
export const endpointQuery = (server: number, id: number, spec: WindowSpec, only: Only, beside = "") =>
  queryOptions({
    queryKey: ["endpoint", server, id, spec, only.service, only.version, only.host, only.attribute, beside],
    queryFn: ({ signal }) => {
      const { path, query } = narrowed(server, spec, only);
      const params = { path: { ...path, endpoint_id: id }, query: { ...query, beside } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/endpoints/{endpoint_id}", { params, signal }));
    },
    meta: { againMs: again(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server && query.queryKey[2] === id ? old : undefined),
  });

/** Single requests of an endpoint by time and duration. */
export const spreadQuery = (server: number, id: number, spec: WindowSpec, only: Only) =>
  queryOptions({
    queryKey: ["spread", server, id, spec, only.service, only.version, only.host, only.attribute],
    queryFn: ({ signal }) => {
      const { path, query } = narrowed(server, spec, only);
      const params = { path: { ...path, endpoint_id: id }, query };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/endpoints/{endpoint_id}/spread", { params, signal }));
    },
    meta: { againMs: again(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server && query.queryKey[2] === id ? old : undefined),
  });

/** What the requests of a region have in common. */
export const pickedQuery = (server: number, id: number, spec: WindowSpec, only: Only, region: Region | null) =>
  queryOptions({
    queryKey: ["picked", server, id, spec, only.service, only.version, only.host, only.attribute, region],
    queryFn: ({ signal }) => {
      const { path, query } = narrowed(server, spec, only);
      const { from: since = 0, to: until = 1, leastMs: least_ms = 0, mostMs: most_ms = 1 } = region ?? {};
      const params = { path: { ...path, endpoint_id: id }, query: { ...query, since, until, least_ms, most_ms } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/endpoints/{endpoint_id}/picked", { params, signal }));
    },
  });

/** Statements run once for each row of another. */
export const repeatedQuery = (server: number, spec: WindowSpec, only: Only) =>
  queryOptions({
    queryKey: ["repeated", server, spec, only],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/requests/repeated", { params: asked(server, spec, only), signal })),
    ...common(server, spec),
  });

/** Statements that counters alone suggest are run once for each row of another. */
export const followersQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["followers", server, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/statements/followers", {
          params: { path: { server_id: server }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : COUNTED_EVERY_MS },
  });

/** Whom requests call outside the database. */
export const callsQuery = (server: number, spec: WindowSpec, only: Only) =>
  queryOptions({
    queryKey: ["calls", server, spec, only],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/requests/calls", { params: asked(server, spec, only), signal })),
    ...common(server, spec),
  });

/** One request, span by span. */
export const requestQuery = (server: number, trace: string, top: string) =>
  queryOptions({
    queryKey: ["request", server, trace, top],
    queryFn: ({ signal }) => {
      const params = { path: { server_id: server, trace }, query: { top } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/traces/{trace}", { params, signal }));
    },
    structuralSharing: false,
    retry: false,
  });

/** A request beside another one; without `other`, beside a usual one. */
export const besideQuery = (server: number, trace: string, top: string, other: string) =>
  queryOptions({
    queryKey: ["request-beside", server, trace, top, other],
    queryFn: ({ signal }) => {
      const params = { path: { server_id: server, trace }, query: { top, other: other === USUAL ? "" : other } };
      return ask(client.GET("/api/v1/servers/{server_id}/requests/traces/{trace}/beside", { params, signal }));
    },
    retry: false,
  });

/** In the address: beside a usual request, whichever that is. */
export const USUAL = "usual";
