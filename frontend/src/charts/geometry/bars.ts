// Bars of a table: a row a bar, a column a piece of it. Pure: figures and sizes in, places out.

export interface BarPiece {
  readonly row: number;
  readonly column: number;
  readonly value: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

interface Size {
  readonly width: number;
  readonly rowHeight: number;
}

const GAP = 3; // pixels between the bars of two rows

/** Where one piece follows the other only sums make sense: `stacked`. Other figures stand below each other, thinner. */
export function bars(cells: readonly (readonly (number | null)[])[], size: Size, stacked: boolean): BarPiece[] {
  const most = Math.max(
    0,
    ...cells.map((row) => (stacked ? total(row) : Math.max(0, ...row.map((cell) => cell ?? 0)))),
  );
  if (most === 0 || size.width <= 0) return [];
  return cells.flatMap((row, r) => {
    const height = (size.rowHeight - GAP) / (stacked ? 1 : Math.max(1, row.length));
    let x = 0;
    return row.flatMap((cell, column) => {
      if (!cell) return [];
      const piece = {
        row: r,
        column,
        value: cell,
        x: stacked ? x : 0,
        y: r * size.rowHeight + (stacked ? 0 : column * height),
        width: (cell / most) * size.width, // not by a scale, which the smallest of figures make infinite
        height,
      };
      x += piece.width;
      return [piece];
    });
  });
}

const total = (row: readonly (number | null)[]): number => row.reduce<number>((sum, cell) => sum + (cell ?? 0), 0);
