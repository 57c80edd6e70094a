// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const PIVOT_DIMENSIONS = {
  statement: "statement",
  program: "program",
  user: "user",
  database: "database",
  client: "client host",
  plan: "plan",
  hour: "hour",
  duration: "duration",
} as const;
