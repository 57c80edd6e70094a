import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";

/** A plan that was brought; it never changes. */
export const planQuery = (key: string) =>
  queryOptions({
    queryKey: ["plan", key],
    queryFn: ({ signal }) => ask(client.GET("/api/v1/plans/{key}", { params: { path: { key } }, signal })),
    staleTime: Infinity,
  });

/** Two plans matched step by step. */
export const comparisonQuery = (key: string, other: string) =>
  queryOptions({
    queryKey: ["plan", key, "against", other],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/plans/{key}/against/{other}", { params: { path: { key, other } }, signal })),
    staleTime: Infinity,
  });

/** The newest plans of the signed-in user. */
export const recentPlansQuery = queryOptions({
  queryKey: ["plans"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/plans", { signal })),
});

/** Indexes for a plan; it asks the watched server. */
export const proposalsQuery = (key: string) =>
  queryOptions({
    queryKey: ["plan", key, "proposals"],
    queryFn: ({ signal }) => ask(client.GET("/api/v1/plans/{key}/proposals", { params: { path: { key } }, signal })),
    staleTime: 60_000,
    retry: false,
  });
