// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const SEVERITIES = {
  now: "look at it now",
  soon: "look at it soon",
  note: "worth knowing",
  fine: "nothing found",
} as const;
