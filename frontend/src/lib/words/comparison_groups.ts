// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const COMPARISON_GROUPS = {
  work: "The same calls",
  load: "Sessions at work or waiting",
  statement: "A call of each statement",
  request: "A request of each endpoint",
  happening: "Deadlocks and errors",
  machine: "Reads and the machine",
} as const;
