// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const LOG_EVENTS = {
  error: "other errors",
  lock_wait: "lock waits",
  timeout: "timeouts",
  cancel: "cancelled",
  deadlock: "deadlocks",
  serialization_failure: "serialization failures",
  connection_refused: "refused connections",
  out_of_space: "out of disk",
  temp_file: "temporary files",
  crash: "crashes",
} as const;
