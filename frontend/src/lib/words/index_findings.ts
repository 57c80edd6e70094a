// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const INDEX_FINDINGS = {
  unused: "unused",
  duplicate: "duplicate index",
  overlapping: "duplicate: the beginning of another",
  invalid: "invalid",
  stale_statistics: "statistics are old",
  never_analyzed: "never analyzed",
  never_vacuumed: "never vacuumed",
} as const;
