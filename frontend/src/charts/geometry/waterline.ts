// The waterline's shape. One axis in sessions: running rises above the line, waiting hangs below it.
import { type BandLike, type LoadLike, type Stack, edges, isGap, stacks } from "./stacks";

export type { LoadLike } from "./stacks";

export interface Layer {
  readonly key: string;
  readonly fill: string;
  readonly side: "up" | "down";
  readonly path: string;
}

export interface WaterlineShape {
  readonly line: number; // y of the water line, in pixels
  readonly layers: readonly Layer[];
  readonly over: string; // the part of running above the cores
  readonly band: readonly string[]; // the usual band, a filled outline on each side
  readonly ceiling: number | null; // y of the cores, null when unknown
  readonly up: number; // sessions at the top edge
  readonly down: number; // sessions at the bottom edge
  readonly cut: readonly Cut[]; // where more was than the picture holds
  readonly y: (sessions: number) => number; // positive above the line
  readonly x: (at: number) => number;
}

/** A bucket that reaches beyond the edge of a steady picture: from and to in pixels, and by which edge. */
export interface Cut {
  readonly from: number;
  readonly to: number;
  readonly side: "up" | "down";
}

export interface Size {
  readonly width: number;
  readonly height: number;
}

/** Largest running and largest waiting of all buckets, in sessions. */
export function peaks(all: readonly Stack[], buckets: number): { running: number; waiting: number } {
  let running = 0;
  let waiting = 0;
  for (let i = 0; i < buckets; i += 1) {
    running = Math.max(running, edges(all, "up", i).at(-1)?.high ?? 0);
    waiting = Math.max(waiting, edges(all, "down", i).at(-1)?.high ?? 0);
  }
  return { running, waiting };
}

const STEADY = 3; // times what nearly all buckets stay below: beyond it a picture is cut off

/** The largest of all values, or so many times what 95 of 100 that are not nothing stay below, if that is less. */
function steadyPeak(values: readonly number[]): number {
  const there = values.filter((value) => value > 0).toSorted((a, b) => a - b);
  const usual = there[Math.floor(0.95 * (there.length - 1))] ?? 0;
  return Math.min(there.at(-1) ?? 0, STEADY * usual);
}

/**
 * Layers as paths of steps, one step a bucket, each bucket drawn over exactly its own time, gaps left open.
 *
 * `steady`: one spike does not set the scale; what reaches beyond is cut off and told in `cut`.
 */
export function waterline(load: LoadLike, size: Size, cores: number | null, steady = false): WaterlineShape {
  const all = stacks(load);
  const heights = (side: "up" | "down"): number[] => load.starts.map((_, i) => edges(all, side, i).at(-1)?.high ?? 0);
  const { running, waiting } = steady
    ? { running: steadyPeak(heights("up")), waiting: steadyPeak(heights("down")) }
    : peaks(all, load.starts.length);
  // Cores belong to the picture when running comes near them, or when nothing else sets the scale.
  const roof = cores !== null && running > cores * 0.25 ? cores * 1.08 : 0;
  // The band belongs to the picture, yet must not flatten it: what reaches beyond is cut off.
  const usualUp = Math.min(most(load.usual?.running.high), Math.max(2 * running, 1));
  const usualDown = Math.min(most(load.usual?.waiting.high), Math.max(2 * waiting, 1));
  const up = Math.max(running * 1.08, usualUp * 1.04, roof, 0.4);
  const down = Math.max(waiting * 1.05, usualDown * 1.04, up * 0.35, 0.4);
  const line = (size.height * up) / (up + down);
  const scale = size.height / (up + down);
  const y = (sessions: number): number => line - sessions * scale;
  const length = load.end - load.start;
  const x = (moment: number): number =>
    Math.min(size.width, Math.max(0, ((moment - load.start) / length) * size.width));
  const box = (i: number, low: number, high: number): string => {
    const start = load.starts[i] ?? 0;
    const [x0, x1] = [x(start), x(start + load.bucket_ms)];
    // A hairline between buckets where there is room, so that samples do not pose as a continuous measure.
    const right = x1 - x0 > 4 ? x1 - 0.75 : x1;
    if (right <= x0 || high === low) return "";
    return `M${x0.toFixed(2)} ${y(high).toFixed(2)}H${right.toFixed(2)}V${y(low).toFixed(2)}H${x0.toFixed(2)}Z`;
  };
  const cap = cores ?? Infinity;
  const rising = all.map((): string[] => []);
  const hanging = all.map((): string[] => []);
  let over = "";
  load.starts.forEach((_, i) => {
    if (isGap(all, i)) return;
    edges(all, "up", i).forEach(({ low, high }, at) => {
      rising[at]?.push(box(i, Math.min(cap, up, low), Math.min(cap, up, high)));
      if (high > cap) over += box(i, Math.max(cap, low), high);
    });
    edges(all, "down", i).forEach(({ low, high }, at) =>
      hanging[at]?.push(box(i, -Math.min(down, high), -Math.min(down, low))),
    );
  });
  const beyond = (side: "up" | "down", edge: number): Cut[] =>
    load.starts.flatMap((start, i) =>
      !isGap(all, i) && (edges(all, side, i).at(-1)?.high ?? 0) > edge
        ? [{ from: x(start), to: x(start + load.bucket_ms), side }]
        : [],
    );
  const cut = [...beyond("up", up), ...beyond("down", down)];
  const layers = [
    ...all.map(({ key, fill }, at) => ({ key, fill, side: "up" as const, path: (rising[at] ?? []).join("") })),
    ...all.map(({ key, fill }, at) => ({ key, fill, side: "down" as const, path: (hanging[at] ?? []).join("") })),
  ];
  const ceiling = cores !== null && cores <= up ? y(cores) : null;
  const outline = (side: BandLike | undefined, sign: 1 | -1): string =>
    side ? bandPath(load, side, x, (v) => Math.min(size.height, Math.max(0, y(sign * v)))) : "";
  const band = [outline(load.usual?.running, 1), outline(load.usual?.waiting, -1)].filter(Boolean);
  return { line, layers: layers.filter((l) => l.path), over, band, ceiling, up, down, cut, y, x };
}

const most = (row: readonly (number | null)[] | undefined): number => Math.max(0, ...(row ?? []).map((v) => v ?? 0));

/** There along the upper edge and back along the lower one; a new outline after each stretch that is not known. */
function bandPath(load: LoadLike, side: BandLike, x: (at: number) => number, y: (v: number) => number): string {
  const known = load.starts.map((_, i) => side.high[i] !== null && side.high[i] !== undefined);
  const middle = (i: number): string => x((load.starts[i] ?? 0) + load.bucket_ms / 2).toFixed(1);
  const parts: string[] = [];
  for (let i = 0; i < known.length; i += 1) {
    if (!known[i]) continue;
    let end = i;
    while (known[end + 1]) end += 1;
    const there = Array.from({ length: end - i + 1 }, (_, k) => i + k);
    const point = (row: readonly (number | null)[]) => (k: number) => `${middle(k)} ${y(row[k] ?? 0).toFixed(1)}`;
    parts.push(`M${[...there.map(point(side.high)), ...there.toReversed().map(point(side.low))].join("L")}Z`);
    i = end;
  }
  return parts.join("");
}

/** Index of the bucket at a pixel; clamped to the ends. */
export function bucketAt(load: LoadLike, px: number, width: number): number {
  const moment = load.start + (px / width) * (load.end - load.start);
  const first = load.starts[0] ?? load.start;
  return Math.max(0, Math.min(load.starts.length - 1, Math.floor((moment - first) / load.bucket_ms)));
}
