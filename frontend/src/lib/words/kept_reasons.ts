// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const KEPT_REASONS = {
  failed: "failed",
  slow: "slow",
  blocked: "waited for a blocked session",
  chosen: "chosen by chance",
} as const;
