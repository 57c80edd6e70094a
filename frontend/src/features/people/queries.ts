import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";

export const peopleQuery = queryOptions({
  queryKey: ["people"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/people", { signal })),
});

export const MOST_ENTRIES = 500;

/** The record, newest first, at most MOST_ENTRIES; `act` is the beginning of one. */
export const auditQuery = (by: string, act: string) =>
  queryOptions({
    queryKey: ["audit", by, act],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/audit", { params: { query: { by, act, limit: MOST_ENTRIES } }, signal })),
    placeholderData: keepPreviousData,
    meta: { againMs: 10_000 },
  });
