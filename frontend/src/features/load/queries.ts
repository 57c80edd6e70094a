import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { DimensionName } from "../../lib/dimensions";
import type { WindowSpec } from "../../lib/view";

/** Columns ranked by the bytes that processes moved, inside a trail. */
export const bytesQuery = (
  server: number,
  spec: WindowSpec,
  pick: readonly string[],
  columns: readonly DimensionName[],
  rows: number,
  way: "read" | "written",
) =>
  queryOptions({
    queryKey: ["bytes", server, spec, pick, columns, rows, way],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/bytes", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), pick: [...pick], dimension: [...columns], rows, way },
          },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server && query.queryKey[6] === way ? old : undefined),
  });

/** What a wait means; never changes while the application runs. */
export const waitQuery = (server: number, wait: string) =>
  queryOptions({
    queryKey: ["wait", server, wait],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/waits", {
          params: { path: { server_id: server }, query: { wait } },
          signal,
        }),
      ),
    staleTime: Infinity,
  });
