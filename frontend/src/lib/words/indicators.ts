// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const INDICATORS = {
  load: "active sessions",
  running: "running",
  waiting: "waiting",
  blocked: "waiting for locks",
  calls: "executions",
  errors: "rollbacks",
  deadlocks: "deadlocks",
  cancelled_readers: "readers cancelled on a replica",
  connections: "connections",
  cpu: "CPU of the machine",
  reads: "disk reads",
  writes: "disk writes",
  disk_latency: "disk latency",
  temp: "spilled to temporary files",
  size: "allocated size",
  lag: "replay lag",
  transaction_age: "age of the oldest transaction id",
} as const;

export const INDICATORS_MEANINGS = {
  transaction_age: "in transactions; writes stop near two billion",
} as const;
