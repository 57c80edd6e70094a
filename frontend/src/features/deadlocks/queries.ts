import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

const slower = (spec: WindowSpec): number | false => {
  const ms = refreshMs(spec);
  return ms === false ? false : Math.max(ms, 5000);
};

/** One pattern with its deadlocks. */
export const patternQuery = (server: number, pattern: string, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["deadlock", server, pattern, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/deadlocks/{pattern}", {
          params: { path: { server_id: server, pattern }, query: windowQuery(spec) },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[2] === pattern ? old : undefined),
  });

export const MOST_ENTRIES = 100; // of the log, told one by one

/** What the log tells beside executions. */
export const eventsQuery = (
  server: number,
  spec: WindowSpec,
  kinds: readonly string[],
  containing: string,
  pick: readonly string[],
) =>
  queryOptions({
    queryKey: ["events", server, spec, kinds, containing, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/events", {
          params: {
            path: { server_id: server },
            query: { ...windowQuery(spec), kind: [...kinds], containing, pick: [...pick], limit: MOST_ENTRIES },
          },
          signal,
        }),
      ),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });
