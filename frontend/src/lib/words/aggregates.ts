// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const AGGREGATES = {
  count: "how many",
  sum: "in all",
  mean: "mean",
  median: "median",
  p95: "95% are below",
  max: "longest",
} as const;
