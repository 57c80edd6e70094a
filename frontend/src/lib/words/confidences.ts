// Written by ./faena contract from the core (GET /api/v1/words); not changed by hand.

export const CONFIDENCES = {
  certain: "Cause, from the log",
  likely: "Most likely cause",
  perhaps: "Possible cause (the log does not say)",
} as const;
