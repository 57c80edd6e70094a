import { describe, expect, it } from "vitest";

import { layerFill, outside, percent, stacked, whole } from "./layers";

const LAYERS = { own: 20, database: 50, cache: 5, external: 25, queue: 0 };

describe("the layers of a request's time", () => {
  it("add up, and stand behind each other in one order", () => {
    expect([whole(LAYERS), outside(LAYERS)]).toEqual([100, 80]);
    expect(stacked(LAYERS)).toEqual([
      ["database", 0],
      ["external", 50],
      ["cache", 75],
      ["queue", 80],
    ]);
  });

  it("have each a fill of its own, and own code that of running", () => {
    const fills = (["own", "database", "external", "cache", "queue"] as const).map(layerFill);
    expect(new Set(fills).size).toBe(5);
    expect(fills[0]).toBe("var(--running)");
  });

  it.each([
    [0, 100, "0%"],
    [0.4, 100, "under 1%"],
    [1, 100, "1%"],
    [96.4, 100, "96%"],
    [5, 0, "0%"],
  ])("%s of %s is %s", (part, of, words) => {
    expect(percent(part, of)).toBe(words);
  });
});
