import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { bars } from "./bars";

const SIZE = { width: 300, bar: 20 };
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
    expect(found.pieces.map(({ row, column, x, y, width }) => [row, column, x, y, width])).toEqual([
      [0, 0, 0, 0, 100],
      [0, 2, 100, 0, 200],
      [1, 1, 0, 20, 100],
    ]);
    expect(found.height).toBe(40);
  });

  it("put figures that do not add up below each other, with no room for those that are not there", () => {
    const found = bars([[null, 1, 3], [null, null, null], [3]], SIZE, false);
    expect(found.pieces.map(({ x, y, width }) => [x, y, width])).toEqual([
      [0, 0, 100],
      [0, 20, 300],
      [0, 72, 300],
    ]);
    expect(found.rows).toEqual([
      { y: 0, height: 40 },
      { y: 46, height: 20 },
      { y: 72, height: 20 },
    ]);
  });

  it("are none where there is nothing", () => {
    expect(bars([[null, 0]], SIZE, true).pieces).toEqual([]);
    expect(bars([], SIZE, false)).toEqual({ pieces: [], rows: [], height: 0 });
    expect(bars([[1]], { ...SIZE, width: 0 }, true).pieces).toEqual([]);
  });

  it("stay inside, in proportion, whatever the figures are", () => {
    fc.assert(
      fc.property(figures, fc.boolean(), (cells, stacked) => {
        const found = bars(cells, SIZE, stacked);
        for (const piece of found.pieces) {
          expect(piece.x + piece.width).toBeLessThanOrEqual(SIZE.width * (1 + 1e-9));
          expect(piece.y + SIZE.bar).toBeLessThanOrEqual(found.height);
          expect(piece.value).toBe(cells[piece.row]?.[piece.column]);
        }
        expect(found.pieces).toHaveLength(cells.flat().filter(Boolean).length);
      }),
    );
  });
});
