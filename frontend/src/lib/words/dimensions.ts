// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const DIMENSIONS = {
  kind: "Wait kind",
  wait: "Wait event",
  statement: "Statement",
  tables: "Tables",
  program: "Program",
  endpoint: "Endpoint",
  user: "User",
  client: "Client host",
  database: "Database",
  held_by: "Held by",
  backend: "Process",
} as const;
