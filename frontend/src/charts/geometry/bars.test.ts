import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { bars } from "./bars";

const SIZE = { width: 300, rowHeight: 20 };
const figures = fc.array(
  fc.array(fc.option(fc.double({ min: 0, max: 1e9, noNaN: true }), { nil: null }), { minLength: 3, maxLength: 3 }),
  { minLength: 1, maxLength: 8 },
);

describe("bars", () => {
  it("put the pieces of a sum behind each other, the longest row over the whole width", () => {
    const found = bars(
      [
        [1, null, 2],
        [0, 1, null],
      ],
      SIZE,
      true,
    );
    expect(found.map(({ row, column, x, width }) => [row, column, x, width])).toEqual([
      [0, 0, 0, 100],
      [0, 2, 100, 200],
      [1, 1, 0, 100],
    ]);
  });

  it("put figures that do not add up below each other", () => {
    const found = bars([[1, 3]], { width: 300, rowHeight: 23 }, false);
    expect(found.map(({ x, y, width, height }) => [x, y, width, height])).toEqual([
      [0, 0, 100, 10],
      [0, 10, 300, 10],
    ]);
  });

  it("are none where there is nothing", () => {
    expect(bars([[null, 0]], SIZE, true)).toEqual([]);
    expect(bars([], SIZE, false)).toEqual([]);
    expect(bars([[1]], { ...SIZE, width: 0 }, true)).toEqual([]);
  });

  it("stay inside, in proportion, whatever the figures are", () => {
    fc.assert(
      fc.property(figures, fc.boolean(), (cells, stacked) => {
        for (const piece of bars(cells, SIZE, stacked)) {
          expect(piece.x + piece.width).toBeLessThanOrEqual(SIZE.width * (1 + 1e-9));
          expect(piece.y + piece.height).toBeLessThanOrEqual(cells.length * SIZE.rowHeight);
          expect(piece.value).toBe(cells[piece.row]?.[piece.column]);
        }
      }),
    );
  });
});
