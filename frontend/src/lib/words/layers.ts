// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const LAYERS = {
  own: "own code",
  database: "database",
  cache: "cache",
  external: "external",
  queue: "queue",
} as const;

export const LAYERS_MEANINGS = {
  queue: "waiting for a free connection, or for a message",
} as const;
