import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

const READ_EVERY_MS = 10_000; // a machine is read that often; asking more often shows nothing new

const slower = (spec: WindowSpec): number | false => {
  const ms = refreshMs(spec);
  return ms === false ? false : Math.max(ms, READ_EVERY_MS);
};

const of = (server: number, spec: WindowSpec) => ({
  path: { server_id: server },
  query: windowQuery(spec),
});

/** Who shares the server's disk. */
export const diskQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["disk", server, spec],
    queryFn: ({ signal }) => ask(client.GET("/api/v1/servers/{server_id}/disk", { params: of(server, spec), signal })),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** Reads and writes per table. */
export const tablesQuery = (server: number, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["tables", server, spec],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/tables", { params: of(server, spec), signal })),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** What other numbers of cores would do. */
export const whatIfQuery = (server: number, spec: WindowSpec, cores: readonly number[]) =>
  queryOptions({
    queryKey: ["what-if", server, spec, cores],
    queryFn: ({ signal }) => {
      const { path, query } = of(server, spec);
      return ask(
        client.GET("/api/v1/servers/{server_id}/what-if", {
          params: { path, query: { ...query, cores: [...cores] } },
          signal,
        }),
      );
    },
    retry: false,
    meta: { againMs: false },
  });
