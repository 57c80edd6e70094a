import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";

export type Alert = Schemas["AlertOut"];
export type Condition = Schemas["AlertConditionOut"];
export type ConditionBody = Schemas["AlertConditionBody"];
export type Way = Schemas["WayOut"];
export type Trial = Schemas["ConditionTrialOut"];

const AGAIN_MS = 10_000;

export const MOST_ALERTS = 500;

/** Alerts over all servers in one state, or all; the newest, at most MOST_ALERTS. */
export const alertsQuery = (state: string) =>
  queryOptions({
    queryKey: ["alerts", state],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/alerts", {
          params: { query: { state: state ? [state] : [], limit: MOST_ALERTS } },
          signal,
        }),
      ),
    meta: { againMs: AGAIN_MS },
    placeholderData: keepPreviousData,
  });

export const alertQuery = (id: number) =>
  queryOptions({
    queryKey: ["alerts", "one", id],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/alerts/{alert_id}", { params: { path: { alert_id: id } }, signal })),
    meta: { againMs: AGAIN_MS },
  });

export const mutesQuery = queryOptions({
  queryKey: ["alerts", "mutes"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/alerts/mutes", { signal })),
  meta: { againMs: AGAIN_MS },
});

export const conditionsQuery = queryOptions({
  queryKey: ["conditions"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/conditions", { signal })),
  meta: { againMs: AGAIN_MS },
});

export const waysQuery = queryOptions({
  queryKey: ["ways"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/ways", { signal })),
  meta: { againMs: AGAIN_MS },
});

export const say = (id: number, state: string, until = 0) =>
  ask(client.PUT("/api/v1/alerts/{alert_id}/state", { params: { path: { alert_id: id } }, body: { state, until } }));

export const tryCondition = (condition: ConditionBody, start: number, end: number) =>
  ask(client.POST("/api/v1/conditions/trial", { body: { condition, start, end, server: null } }));

/** What was entered of a condition, to send it back with one thing changed. */
export const bodyOf = ({ ...one }: Condition): ConditionBody => ({
  name: one.name,
  signal: one.signal,
  level: one.level,
  clears: one.clears,
  kinds: one.kinds,
  below: one.below,
  of_usual: one.of_usual,
  for_ms: one.for_ms,
  clear_ms: one.clear_ms,
  schedule: one.schedule,
  time_zone: one.time_zone,
  severity: one.severity,
  servers: one.servers,
  groups: one.groups,
  ways: one.ways,
  close_watch_minutes: one.close_watch_minutes,
  enabled: one.enabled,
});
