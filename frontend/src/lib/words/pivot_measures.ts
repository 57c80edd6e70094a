// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const PIVOT_MEASURES = {
  took_ms: "time",
  parse_ms: "time to parse",
  bind_ms: "time to bind",
  execute_ms: "time to execute",
  temp_bytes: "temp written",
} as const;
