import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

const LOOKED_EVERY_MS = 15_000; // what is at fault does not change by the second, and finding it out is work

/** What is at fault in a window. */
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
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });
