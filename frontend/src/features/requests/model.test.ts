import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { LEAST_ALIKE, type Span, rowsOf, treeOf } from "./model";

const span = (above: number, name: string, start: number, took: number, more: Partial<Span> = {}): Span => ({
  ...{ above, depth: 0, name, service: "web", kind: "client", layer: "database", start_ms: start, duration_ms: took },
  ...{ self_ms: took, failed: false, statement: "", query_id: null, to: "", attributes: {}, exceptions: [] },
  ...more,
});
const NONE: ReadonlySet<string> = new Set();
const names = (spans: readonly Span[], turned = NONE) =>
  rowsOf(spans, treeOf(spans), turned).map(
    (row) =>
      `${"  ".repeat(row.depth)}${row.spans.length > 1 ? `${row.spans.length} × ` : ""}${spans[row.spans[0] ?? 0]?.name}`,
  );

const EXPORT = [
  span(-1, "GET", 0, 100),
  span(0, "SELECT booking", 1, 2),
  span(0, "SELECT passenger", 5, 1, { statement: "p" }),
  span(3 - 3, "SELECT passenger", 10, 1, { statement: "p" }),
  span(0, "SELECT passenger", 8, 1, { statement: "p" }),
  span(0, "render", 20, 50, { layer: "own" }),
  span(5, "template", 21, 5, { layer: "own" }),
];

describe("the spans of a request as rows", () => {
  it("stand in order of time, alike siblings as one row with their times together", () => {
    expect(names(EXPORT)).toEqual(["GET", "  SELECT booking", "  3 × SELECT passenger", "  render", "    template"]);
    const fold = rowsOf(EXPORT, treeOf(EXPORT), NONE)[2];
    expect(fold).toMatchObject({ spans: [2, 4, 3], startMs: 5, endMs: 11, tookMs: 3, foldable: true, open: false });
  });

  it("open and close one by one", () => {
    expect(names(EXPORT, new Set(["alike 2"])).slice(2, 6)).toEqual([
      "  3 × SELECT passenger",
      "    SELECT passenger",
      "    SELECT passenger",
      "    SELECT passenger",
    ]);
    expect(names(EXPORT, new Set(["span 5"])).at(-1)).toBe("  render");
    expect(names(EXPORT, new Set(["span 0"]))).toEqual(["GET"]);
  });

  it("are folded by statement and layer, not by name alone, and only from three on", () => {
    const others = ["a", "a", "b", "c"].map((statement, i) => span(0, "SELECT", i, 1, { statement }));
    expect(names([span(-1, "GET", 0, 9), ...others])).toHaveLength(5);
    expect(LEAST_ALIKE).toBe(3);
  });

  it("of nothing are none, and those of many are told in time", () => {
    expect(rowsOf([], treeOf([]), NONE)).toEqual([]);
    const deep = Array.from({ length: 20_000 }, (_, i) => span(i - 1, `level ${i}`, i, 1));
    expect(rowsOf(deep, treeOf(deep), NONE)).toHaveLength(20_000);
    const broad = [span(-1, "GET", 0, 1), ...Array.from({ length: 20_000 }, (_, i) => span(0, `one ${i % 700}`, i, 1))];
    expect(rowsOf(broad, treeOf(broad), NONE)).toHaveLength(701);
  });

  it("hold each span once, whatever the tree, once all is opened", () => {
    const trees = fc
      .array(fc.nat(1000), { maxLength: 40 })
      .map((above) => [span(-1, "top", 0, 100), ...above.map((n, i) => span(n % (i + 1), `kind ${n % 3}`, n % 50, 1))]);
    fc.assert(
      fc.property(trees, (spans) => {
        const tree = treeOf(spans);
        const folds = new Set(spans.map((_, i) => `alike ${i}`));
        const single = rowsOf(spans, tree, folds).filter((row) => row.spans.length === 1);
        expect(single.map((row) => row.spans[0]).toSorted((a, b) => (a ?? 0) - (b ?? 0))).toEqual(
          spans.map((_, i) => i),
        );
        const shown = rowsOf(spans, tree, NONE);
        expect(new Set(shown.map((row) => row.key)).size).toBe(shown.length);
      }),
    );
  });
});
