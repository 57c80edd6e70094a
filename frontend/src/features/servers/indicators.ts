// Indicators of several servers: what is asked, and what of it is one server's. Pure but for the question.
import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { type Schemas, ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { LoadLike } from "../../charts/geometry/waterline";
import type { WindowSpec } from "../../lib/view";
import { INDICATORS } from "../../lib/words/indicators";

export type IndicatorName = keyof typeof INDICATORS;
type Answer = Schemas["IndicatorsOut"];

export const INDICATOR_NAMES = Object.keys(INDICATORS) as IndicatorName[];
export const USUALLY_SHOWN: readonly IndicatorName[] = ["cpu", "calls", "disk_latency"];
export const isIndicator = (name: string | undefined): name is IndicatorName =>
  name !== undefined && name in INDICATORS;

const EVERY_MS = 15_000;
export const FEW_SERVERS = 24; // up to so many are asked for whether in sight or not
export const MOST_SERVERS = 60; // the API answers for no more at once

/** Load and these indicators of these servers, over a window. */
export const indicatorsQuery = (spec: WindowSpec, servers: readonly number[], names: readonly IndicatorName[]) =>
  queryOptions({
    queryKey: ["indicators", spec, servers, names],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/indicators", {
          params: { query: { ...windowQuery(spec), server: [...servers], name: [...names], buckets: 60 } },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : EVERY_MS },
    placeholderData: keepPreviousData,
  });

/** One server's load over the window, as a waterline takes it; undefined while it is not known. */
export function loadOf(found: Answer | undefined, server: number): LoadLike | undefined {
  const mine = found?.loads.find((one) => one.server === server);
  return found && mine ? { ...found, groups: mine.groups } : undefined;
}

export interface Figure {
  readonly unit: string;
  readonly cell: Schemas["CellOut"];
}

/** One indicator of one server; undefined while it is not known. */
export function figureOf(found: Answer | undefined, server: number, name: string): Figure | undefined {
  const one = found?.indicators.find((indicator) => indicator.name === name);
  const cell = one?.cells.find((mine) => mine.server === server);
  return one && cell ? { unit: one.unit, cell } : undefined;
}

/** The mean of the same hours yesterday; null where it is not known. */
export const yesterdayOf = ({ mean, yesterday }: Schemas["CellOut"]): number | null =>
  mean === null || yesterday.difference === null ? null : mean - yesterday.difference;
