// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const REQUEST_FINDINGS = {
  repeated_statement: "repeated statement",
  external_layer: "slow external calls",
  cache_missing: "cache no longer asked",
  slow_tail: "slow few",
  own_code: "own code",
  database_bound: "database",
  queue_wait: "waiting for a connection",
  version_slow: "slow version",
} as const;
