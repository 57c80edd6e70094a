import { describe, expect, it } from "vitest";

import { costWords, formOf, ordered, readSpans, shareAt } from "./model";
import type { Schemas } from "../../api/client";

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

describe("the order of servers", () => {
  const server = (name: string, trouble: number, load: number | null) =>
    ({ name, trouble, load_now: load }) as Schemas["ServerOut"];
  const all = [server("b", 0, 5), server("a", 0, null), server("c", 9, 1)];

  it("puts trouble first, then load, ties by name", () => {
    expect(ordered(all, "trouble").map((one) => one.name)).toEqual(["c", "a", "b"]);
    expect(ordered(all, "load").map((one) => one.name)).toEqual(["b", "c", "a"]);
    expect(ordered(all, "name").map((one) => one.name)).toEqual(["a", "b", "c"]);
  });
});
