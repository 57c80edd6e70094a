import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";

/** How a server is reached; for admins. */
export const connectionQuery = (server: number) =>
  queryOptions({
    queryKey: ["connection", server],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/connection", { params: { path: { server_id: server } }, signal })),
  });

/** How a server is captured; asked again while a close watch runs down. */
export const captureQuery = (server: number) =>
  queryOptions({
    queryKey: ["capture", server],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/capture", { params: { path: { server_id: server } }, signal })),
    meta: { againMs: 5000 },
  });

/** Who sends traces of a server. */
export const traceSourcesQuery = (server: number) =>
  queryOptions({
    queryKey: ["trace-sources", server],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/trace-sources", { params: { path: { server_id: server } }, signal })),
    meta: { againMs: 10_000 },
  });
