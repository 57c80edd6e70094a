import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { groupSentence } from "./model";

const group = {
  name: "bookings",
  nodes: [
    { id: 1, name: "main", share: 0.7, lag_ms: null },
    { id: 2, name: "replica", share: 0.3, lag_ms: 90_000 },
  ],
  statements: [
    { query_id: "7", label: "SELECT 1", nodes: [{ calls: 5, mean_ms: 2 }, null], total_ms: 10, spread: null },
  ],
} as unknown as Schemas["ServerGroupOut"];

describe("a group", () => {
  it("says who bears most and who lags", () => {
    expect(groupSentence(group)).toBe("main bears 70% of the load of bookings; replica lagged by up to 1 min 30 s.");
    expect(groupSentence({ ...group, nodes: [] })).toBe("Nothing was sampled.");
  });
});
