// Bars of a table: a row a bar, a column a piece of it. Pure: figures and sizes in, places out.

export interface BarPiece {
  readonly row: number;
  readonly column: number;
  readonly value: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
}

export interface BarsShape {
  readonly pieces: readonly BarPiece[];
  readonly rows: readonly { readonly y: number; readonly height: number }[];
  readonly height: number;
}

interface Size {
  readonly width: number;
  readonly bar: number; // pixels, of one bar with the room around it
}

const GAP = 6; // pixels between the bars of two rows that have several

/** Pieces of a row follow each other where they add up (`stacked`); else each that is there has a bar of its own. */
export function bars(cells: readonly (readonly (number | null)[])[], size: Size, stacked: boolean): BarsShape {
  const most = Math.max(0, ...cells.map((row) => (stacked ? sum(row) : Math.max(0, ...row.map((cell) => cell ?? 0)))));
  const pieces: BarPiece[] = [];
  const rows: { y: number; height: number }[] = [];
  let y = 0;
  cells.forEach((row, r) => {
    const there = row.flatMap((value, column) => (value && most > 0 && size.width > 0 ? [{ value, column }] : []));
    let x = 0;
    there.forEach(({ value, column }, i) => {
      const width = (value / most) * size.width; // not by a scale, which the smallest of figures make infinite
      pieces.push({ row: r, column, value, x: stacked ? x : 0, y: y + (stacked ? 0 : i * size.bar), width });
      x += width;
    });
    const height = size.bar * (stacked ? 1 : Math.max(1, there.length));
    rows.push({ y, height });
    y += height + (stacked ? 0 : GAP);
  });
  return { pieces, rows, height: y };
}

export const sum = (row: readonly (number | null)[]): number =>
  row.reduce<number>((total, cell) => total + (cell ?? 0), 0);
