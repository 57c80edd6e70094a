// Time by duration: where cells and executions stand. Pure: figures and sizes in, places out.
import type { Cell } from "../paint";

export interface DensityPlot {
  readonly start: number;
  readonly end: number;
  readonly leastMs: number;
  readonly mostMs: number;
  readonly left: number; // pixels kept for the labels of durations
  readonly width: number; // of the whole, pixels
  readonly height: number; // of the picture without its time axis, pixels
}

export const timeX = (plot: DensityPlot, at: number): number =>
  plot.left + ((at - plot.start) / (plot.end - plot.start)) * (plot.width - plot.left);

export const xTime = (plot: DensityPlot, x: number): number =>
  plot.start + ((x - plot.left) / Math.max(1, plot.width - plot.left)) * (plot.end - plot.start);

/** On a logarithmic scale, long above. */
export const durationY = (plot: DensityPlot, ms: number): number =>
  plot.height * (1 - Math.log(Math.max(ms, plot.leastMs) / plot.leastMs) / Math.log(plot.mostMs / plot.leastMs));

export const yDuration = (plot: DensityPlot, y: number): number =>
  plot.leastMs * Math.pow(plot.mostMs / plot.leastMs, 1 - y / plot.height);

/** Decades inside the scale, for labels. */
export function decades(plot: DensityPlot): number[] {
  const found = [];
  for (let power = Math.ceil(Math.log10(plot.leastMs) - 1e-9); Math.pow(10, power) <= plot.mostMs * 1.0001; power += 1)
    found.push(Math.pow(10, power));
  return found;
}

/** How dark a cell is, 0.08 to 1: by the logarithm, since cells hold from one to many thousands. */
export const shade = (value: number, most: number): number =>
  value <= 0 || most <= 0 ? 0 : 0.12 + 0.88 * (Math.log1p(value) / Math.log1p(most));

export interface Region {
  readonly from: number;
  readonly to: number;
  readonly leastMs: number;
  readonly mostMs: number;
}

/** The region between two corners in pixels, in whole milliseconds of time; null when it is no more than a click. */
export function regionOf(
  plot: DensityPlot,
  a: { readonly x: number; readonly y: number },
  b: { readonly x: number; readonly y: number },
): Region | null {
  if (Math.abs(a.x - b.x) < 4 || Math.abs(a.y - b.y) < 4) return null;
  const clampX = (x: number): number => Math.min(plot.width, Math.max(plot.left, x));
  const clampY = (y: number): number => Math.min(plot.height, Math.max(0, y));
  const [from, to] = [clampX(Math.min(a.x, b.x)), clampX(Math.max(a.x, b.x))];
  const [top, bottom] = [clampY(Math.min(a.y, b.y)), clampY(Math.max(a.y, b.y))];
  return {
    from: Math.floor(xTime(plot, from)),
    to: Math.ceil(xTime(plot, to)),
    leastMs: yDuration(plot, bottom),
    // What touches the upper edge is meant whole: the longest one stands exactly there.
    mostMs: top <= 0 ? plot.mostMs * 1.001 : yDuration(plot, top),
  };
}

/** Sums of each class of durations over a window; class `i` lies between `edges_ms[i]` and the next. */
export interface Rungs {
  readonly start: number;
  readonly end: number;
  readonly edges_ms: readonly number[];
  readonly row_executions: readonly number[];
  readonly row_total_ms: readonly number[];
}

/** The region of one class of durations over the whole window; null where there is no such class. */
export function rungRegion(found: Rungs, row: number): Region | null {
  const [leastMs, mostMs] = [found.edges_ms[row], found.edges_ms[row + 1]];
  if (row < 0 || leastMs === undefined || mostMs === undefined) return null;
  return { from: found.start, to: found.end, leastMs, mostMs };
}

interface Counted {
  readonly starts: readonly number[];
  readonly bucket_ms: number;
  readonly edges_ms: readonly number[];
  readonly counts: readonly (readonly number[])[];
}

/** What is painted: a cell wherever something ran, darker the more. */
export function densityCells(plot: DensityPlot, { starts, bucket_ms, edges_ms, counts }: Counted): Cell[] {
  const most = counts.reduce((whole, row) => row.reduce((more, n) => Math.max(more, n), whole), 0);
  const columns = starts.map((start) => {
    const x = Math.max(plot.left, timeX(plot, start));
    return { x, width: Math.max(0.5, Math.min(plot.width, timeX(plot, start + bucket_ms)) - x) };
  });
  return counts.flatMap((row, r) => {
    const y = durationY(plot, edges_ms[r + 1] ?? plot.mostMs);
    const height = Math.max(1, durationY(plot, edges_ms[r] ?? plot.leastMs) - y);
    return row.flatMap((n, c) => {
      const column = columns[c];
      return n > 0 && column ? [{ ...column, y, height, fill: "var(--running)", opacity: shade(n, most) }] : [];
    });
  });
}
