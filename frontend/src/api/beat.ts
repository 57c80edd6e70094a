// One beat for all that is live: what is on screen and due is asked again in one call. A hidden tab rests.
import { type Query, type QueryClient } from "@tanstack/react-query";

import { client, sendThrough } from "./client";
import { Together } from "./together";

declare module "@tanstack/react-query" {
  interface Register {
    /** `againMs`: how often a question is asked again while it is on screen; false or absent: never. */
    queryMeta: { againMs?: number | false | ((data: unknown) => number | false) };
  }
}

export const BEAT_MS = 500;
const EARLY = 0.35; // of its period: what is due that soon goes along with what is due now
// The same of what is asked no less often. Two that were asked at different times are together then after one round, and stay
// so; with less than half of it they never would be, and with answers that take their time half is not enough.
const EARLY_AS_OFTEN = 0.66;

/** Asks again what is due, at each beat, until the function that is returned is called. */
export function startBeat(queries: QueryClient): () => void {
  const together = new Together(
    (asked) => client.POST("/api/v1/refresh", { body: { asked: [...asked] } }),
    (request) => globalThis.fetch(request),
  );
  sendThrough(together.fetch);
  const beat = (): void => {
    if (document.hidden) return;
    const due = dueOf(queries.getQueryCache().getAll(), Date.now());
    if (due.size === 0) return;
    together.gather(
      () => void queries.refetchQueries({ predicate: (query) => due.has(query) }, { cancelRefetch: false }),
    );
  };
  const timer = setInterval(beat, BEAT_MS);
  document.addEventListener("visibilitychange", beat);
  return () => {
    clearInterval(timer);
    document.removeEventListener("visibilitychange", beat);
    sendThrough((request) => globalThis.fetch(request));
  };
}

/** All that is due within a part of its period, once something is due now. */
export function dueOf(all: readonly Query[], now: number): ReadonlySet<Query> {
  const waits = all.flatMap((query) => {
    const period = query.state.fetchStatus === "idle" ? periodOf(query) : null;
    const asked = Math.max(query.state.dataUpdatedAt, query.state.errorUpdatedAt);
    // Never asked yet: its screen asks it at once, there is nothing to ask again.
    return period === null || asked === 0 ? [] : [{ query, left: period - (now - asked), period }];
  });
  const slowest = Math.max(0, ...waits.filter(({ left }) => left <= 0).map(({ period }) => period));
  if (slowest === 0) return new Set();
  const early = (period: number): number => period * (period <= slowest ? EARLY_AS_OFTEN : EARLY);
  return new Set(waits.filter(({ left, period }) => left <= early(period)).map(({ query }) => query));
}

/** The shortest period that anybody who looks at it asks for. */
function periodOf(query: Query): number | null {
  const periods = query.observers.flatMap(({ options }) => {
    const again = options.enabled === false ? false : options.meta?.againMs;
    const ms = typeof again === "function" ? again(query.state.data) : again;
    return typeof ms === "number" ? [ms] : [];
  });
  return periods.length ? Math.min(...periods) : null;
}
