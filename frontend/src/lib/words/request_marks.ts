// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const REQUEST_MARKS = {
  attribute: "attribute",
  statement: "runs the statement",
  call: "calls",
  outcome: "outcome",
} as const;
