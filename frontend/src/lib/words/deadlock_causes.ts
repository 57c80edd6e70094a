// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const DEADLOCK_CAUSES = {
  opposite_order: "locked in opposite order",
  upgrade: "shared lock, then an exclusive one",
  foreign_key: "foreign key and its parent row",
  missing_index_scan: "locks rows by scanning",
  unique_insert: "same keys inserted",
  upsert: "same keys inserted or changed",
  many_rows: "many rows locked in no fixed order",
  advisory: "advisory locks",
  table_lock: "whole tables locked",
  ddl: "structure changed meanwhile",
} as const;
