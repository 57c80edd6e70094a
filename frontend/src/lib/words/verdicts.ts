// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const VERDICTS = {
  better: "better",
  worse: "worse",
  no_difference: "no real difference",
  too_early: "too early to tell",
  not_comparable: "not comparable",
  unknown: "cannot be told",
} as const;

export const VERDICTS_MEANINGS = {
  unknown: "what there is of these windows is too little to tell",
} as const;
