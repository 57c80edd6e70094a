// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const REQUEST_CHANGES = {
  added: "added",
  gone: "gone",
  more: "more often",
  fewer: "less often",
  same: "as often",
} as const;
