// What the load view asks, and what of it is shown. Nothing moves under a pointer; a change that the reader asked for is
// shown at once.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { loadQuery, sieveQuery } from "../../api/queries";
import { isKind, KIND_WORDS } from "../../charts/kinds";
import { DEFAULT_COLUMNS, type DimensionName, isDimension } from "../../lib/dimensions";
import { picked, type PickMode } from "../../lib/trail";
import { COMPARED, windowOf } from "../../lib/view";
import { useStill } from "../../ui/useStill";
import type { LoadSearch } from "./load.route";
import { byteColumns, earlierSpec, isRankedBy, sessionColumns, waitToExplain } from "./model";
import { bytesQuery, waitQuery } from "./queries";

const TOTAL_ROWS = 14;

export interface LoadAsked {
  readonly server: number;
  readonly total: boolean; // what took most in the window, instead of when
  readonly search: LoadSearch;
  readonly rows: number; // of each column of the sieve
  readonly onSearch: (change: Partial<LoadSearch>) => void;
}

/** What the address says to show, with what is usual where it says nothing. */
function chosen(search: LoadSearch) {
  return {
    spec: windowOf(search),
    trail: search.pick ?? [],
    columns: search.columns?.filter(isDimension) ?? [...DEFAULT_COLUMNS],
    split: search.split !== undefined && isDimension(search.split) ? search.split : ("kind" as DimensionName),
    compared: COMPARED[search.compare ?? ""],
    by: isRankedBy(search.by) ? search.by : ("" as const),
  };
}

export function useLoadView({ server, total, search, rows, onSearch }: LoadAsked) {
  const [held, hold] = useState(false);
  const { spec, trail, columns, split, compared, by } = chosen(search);
  const load = useQuery(loadQuery(server, spec, trail, 240, split, trail.length === 0));
  const whole = useQuery({ ...sieveQuery(server, spec, trail, [split], TOTAL_ROWS), enabled: total });
  const earlier = useQuery({
    ...loadQuery(server, earlierSpec(load.data, compared?.days ?? 0), trail, 240),
    enabled: compared !== undefined && load.data !== undefined,
    meta: { againMs: false },
  });
  const sieve = useQuery(sieveQuery(server, spec, trail, columns, rows));
  const moved = useQuery({
    ...bytesQuery(server, spec, trail, columns, rows, by === "written" ? by : "read"),
    enabled: by !== "",
  });
  const about = JSON.stringify([server, spec, trail, split]);
  const shownLoad = useStill(load.data, held, `${about}${String(load.isPlaceholderData)}`);
  const sieveAbout = `${about}${columns.join()}${rows}`;
  const shownSieve = useStill(sieve.data, held, `${sieveAbout}${String(sieve.isPlaceholderData)}`);
  const shownBytes = useStill(moved.data, held, `${sieveAbout}${by}${String(moved.isPlaceholderData)}`);
  const waits = shownSieve?.columns.find((column) => column.dimension === "wait");
  const asked = waitToExplain(search.wait, trail, waits);
  const wait = useQuery({ ...waitQuery(server, asked ?? "running"), enabled: asked !== null });
  const setTrail = (pick: string[]): void => onSearch({ pick, ...(pick.length ? {} : { wait: "" }) });
  return {
    ...{ spec, trail, columns, split, by, setTrail, hold },
    load: shownLoad,
    sieve: shownSieve,
    bytes: shownBytes,
    found: by === "" ? shownSieve && sessionColumns(shownSieve) : shownBytes && byteColumns(shownBytes, by),
    held: held && shownLoad !== load.data,
    older: { load: load.isPlaceholderData, sieve: (by ? moved : sieve).isPlaceholderData },
    whole: total ? whole.data?.columns[0] : undefined,
    before: compared && !earlier.isPlaceholderData ? (earlier.data ?? null) : null,
    earlier: compared ? earlier.data : undefined,
    explained: asked === null ? undefined : wait.data,
    failure: load.error ?? sieve.error ?? (by ? moved.error : null),
    asOf: load.data === undefined ? null : load.dataUpdatedAt,
    unread: load.data === undefined && load.error !== null,
    retry: () => void Promise.all([load.refetch(), sieve.refetch()]),
    pick: (dimension: string, value: string, mode: PickMode) => setTrail(picked(trail, dimension, value, mode)),
    words: (dimension: string, value: string) => wordsOf(shownSieve, dimension, value),
  };
}

export type LoadView = ReturnType<typeof useLoadView>;

function wordsOf(sieve: Schemas["SieveOut"] | undefined, dimension: string, value: string): string {
  if (dimension === "kind" && isKind(value)) return KIND_WORDS[value];
  const rows = sieve?.columns.find((column) => column.dimension === dimension)?.rows;
  return rows?.find((row) => row.value === value)?.label ?? value;
}
