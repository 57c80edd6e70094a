import { describe, expect, it } from "vitest";

import { costWords, formOf, readSpans, shareAt } from "./model";

describe("settings", () => {
  it("say what sampling costs", () => {
    expect(costWords(null)).toContain("not measured");
    expect(costWords(0.0004)).toContain("0.04% of a core");
    expect(costWords(0.0204)).toContain("2.0% of a core");
    expect(shareAt(0.5, 1000)).toBe(0.0005);
    expect(shareAt(0.5, Number.NaN)).toBeNull();
    expect(shareAt(null, 1000)).toBeNull();
  });

  it("read spans and drop what is none", () => {
    expect(readSpans([{ days: [0, "x", 2], from: "08:00", to: 5 }])).toEqual([{ days: [0, 2], from: "08:00", to: "" }]);
  });

  it("tell a file's form by its ending", () => {
    expect([formOf("a.CSV"), formOf("b.ndjson"), formOf("c.json"), formOf("d.txt")]).toEqual([
      "csv",
      "jsonl",
      "jsonl",
      null,
    ]);
  });
});
