// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const WAIT_KINDS = {
  running: "running on CPU",
  client: "waiting for client",
  engine: "engine internal",
  commit: "WAL write at commit",
  data_io: "data reads and writes",
  lock: "row and table locks",
  other_process: "IPC waits",
  sleep: "timeout or sleep",
} as const;
