/** The views that g and a letter go to. */
export const GO_KEYS = {
  l: "load",
  s: "statements",
  e: "executions",
  i: "indexes",
  n: "sessions",
  b: "blocking",
  d: "deadlocks",
  w: "events",
  m: "machine",
  r: "samples",
} as const;

const WORDS: Readonly<Record<string, string>> = { events: "the log", samples: "raw samples" };

/** "g, then l load, s statements, …" for the list of keys. */
export const goWords = (): string =>
  Object.entries(GO_KEYS)
    .map(([key, view]) => `${key} ${WORDS[view] ?? view}`)
    .join(", ");
