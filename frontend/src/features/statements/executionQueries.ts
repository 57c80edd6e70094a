import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";
import type { Region } from "../../charts/geometry/density";
import type { PivotSpec } from "./executions";

const SLOWER_MS = 5000;
const refetch = (spec: WindowSpec): number | false => (refreshMs(spec) === false ? false : SLOWER_MS);

/** Executions of a window over time and duration. A region narrows durations; its time is the spec. */
export const distributionQuery = (
  server: number,
  spec: WindowSpec,
  only: string[],
  pick: readonly string[],
  region: Region | null,
) =>
  queryOptions({
    queryKey: ["executions", server, spec, only, pick, region],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/executions", {
          params: {
            path: { server_id: server },
            query: { ...regionQuery(spec, region), only, pick: [...pick], buckets: 160 },
          },
          signal,
        }),
      ),
    meta: { againMs: refetch(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** The longest executions of a window or a region of it. */
export const executionsQuery = (
  server: number,
  spec: WindowSpec,
  only: string[],
  pick: readonly string[],
  region: Region | null,
) =>
  queryOptions({
    queryKey: ["execution-list", server, spec, only, pick, region],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/executions/list", {
          params: {
            path: { server_id: server },
            query: { ...regionQuery(spec, region), only, pick: [...pick], limit: 50 },
          },
          signal,
        }),
      ),
    meta: { againMs: refetch(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** All that the list is the beginning of, as a file. */
export function executionsFile(
  server: number,
  {
    spec,
    only,
    pick,
    region,
  }: { spec: WindowSpec; only: readonly string[]; pick: readonly string[]; region: Region | null },
): string {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(regionQuery(spec, region))) query.set(name, String(value));
  for (const one of only) query.append("only", one);
  for (const one of pick) query.append("pick", one);
  return `/api/v1/servers/${server}/executions/export?${query}`;
}

const regionQuery = (spec: WindowSpec, region: Region | null) =>
  region === null
    ? windowQuery(spec)
    : { from: region.from, to: region.to, least_ms: region.leastMs, most_ms: region.mostMs };

/** Captured executions as a table. */
export const pivotQuery = (
  server: number,
  spec: WindowSpec,
  only: string[],
  pick: readonly string[],
  pivot: PivotSpec,
) =>
  queryOptions({
    queryKey: ["pivot", server, spec, only, pick, pivot],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/executions/pivot", {
          params: {
            path: { server_id: server },
            query: {
              ...windowQuery(spec),
              only,
              pick: [...pick],
              rows: pivot.rows,
              measure: pivot.measure,
              aggregate: pivot.aggregate,
              ...(pivot.columns === "none" ? {} : { columns: pivot.columns }),
            },
          },
          signal,
        }),
      ),
    meta: { againMs: refetch(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });
