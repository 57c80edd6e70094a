import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { groupSentence, groupTable, indicatorsTable } from "./model";

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

  it("leaves as a row per statement and node", () => {
    expect(groupTable(group).rows).toEqual([
      ["7", "SELECT 1", "main", 5, 2],
      ["7", "SELECT 1", "replica", null, null],
    ]);
  });
});

describe("indicators", () => {
  it("leave as a row per server and indicator", () => {
    const change = { difference: 1, ratio: 2 };
    const data = {
      servers: [{ id: 3, name: "crew", group: "" }],
      indicators: [
        {
          name: "cpu",
          unit: "share",
          cells: [{ server: 3, mean: 0.5, latest: 0.6, yesterday: change, last_week: change }],
        },
      ],
    } as unknown as Schemas["IndicatorsOut"];
    expect(indicatorsTable(data).rows).toEqual([["crew", "cpu", "share", 0.5, 0.6, 2, 2]]);
  });
});
