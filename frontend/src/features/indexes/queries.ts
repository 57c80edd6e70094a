import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

/** What could go and what is proposed. It asks the watched server, so only when somebody looks. */
export const indexesQuery = (server: number, spec: WindowSpec, database: string, pick: readonly string[]) =>
  queryOptions({
    queryKey: ["indexes", server, spec, database, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/indexes", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), database, pick: [...pick] } },
          signal,
        }),
      ),
    staleTime: 60_000,
    retry: false,
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });
