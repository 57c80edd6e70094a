// Where lanes and tape cells stand. Pure: moments and sizes in, places out.
import type { Cell } from "../paint";

export interface Part {
  readonly first: number; // moment of the first tick, milliseconds
  readonly last: number; // of the last; it stands for a tick more
  readonly blocker: number;
}

export interface LanePart extends Part {
  readonly fill: string;
  readonly words: string;
  readonly outlined: boolean;
}

export interface Lane {
  readonly key: string;
  readonly pid: number;
  readonly label: string;
  readonly note: string;
  readonly root: boolean;
  readonly parts: readonly LanePart[];
}

interface Placed<P extends Part> {
  readonly part: P;
  readonly x: number;
  readonly width: number;
}

export interface Scale {
  readonly from: number;
  readonly to: number;
  readonly width: number; // in pixels
  readonly tickMs: number;
}

export const placeOf = (at: number, scale: Scale): number =>
  ((at - scale.from) / Math.max(1, scale.to - scale.from)) * scale.width;

/** Cells of a lane, cut at the edges of the picture, none narrower than can be seen. */
export function* cells<P extends Part>(parts: readonly P[], scale: Scale): Generator<Placed<P>> {
  for (const part of parts) {
    const x = Math.max(0, placeOf(part.first, scale));
    const end = Math.min(scale.width, placeOf(part.last + scale.tickMs, scale));
    if (end > 0 && x < scale.width) yield { part, x, width: Math.max(1, end - x) };
  }
}

export interface Tie {
  readonly x: number;
  readonly from: number; // lane of the one that waits
  readonly to: number; // lane of the one in its way
}

/** A line from where each waiting stretch begins to the lane of whoever holds it up; the same holder again needs none. */
export function* ties(
  lanes: readonly { readonly pid: number; readonly parts: readonly Part[] }[],
  scale: Scale,
): Generator<Tie> {
  const laneOf = new Map(lanes.map((lane, i) => [lane.pid, i]));
  for (const [from, lane] of lanes.entries()) {
    let held = 0;
    for (const part of lane.parts) {
      const before = held;
      held = part.blocker;
      const to = laneOf.get(part.blocker);
      if (part.blocker === 0 || part.blocker === before || to === undefined || to === from) continue;
      const x = placeOf(part.first, scale);
      if (x >= 0 && x <= scale.width) yield { x, from, to };
    }
  }
}

/** The part that lies at a moment; undefined where there is none. */
export const partAt = <P extends Part>(parts: readonly P[], at: number, tickMs: number): P | undefined =>
  parts.find((part) => part.first <= at && at < part.last + tickMs);

export const LABEL = 190; // pixels, for whose a lane is
const ROW = 20;
const ROOT = 26;

export interface LaneLayout {
  readonly tops: readonly number[];
  readonly talls: readonly number[];
  readonly height: number; // of all lanes
}

/** Lanes one below the other; those of roots are taller. */
export function laneLayout(lanes: readonly Lane[]): LaneLayout {
  const talls = lanes.map((lane) => (lane.root ? ROOT : ROW));
  const tops: number[] = [];
  let height = 0;
  for (const tall of talls) {
    tops.push(height);
    height += tall;
  }
  return { tops, talls, height };
}

/** All that is painted of lanes: their cells, and from each waiting stretch a line to whoever held it up. */
export function* lanePicture(lanes: readonly Lane[], { tops, talls }: LaneLayout, scale: Scale): Generator<Cell> {
  for (const [i, lane] of lanes.entries()) {
    const [top, tall] = [tops[i] ?? 0, talls[i] ?? 0];
    for (const { part, x, width } of cells(lane.parts, scale))
      yield {
        x: LABEL + x,
        y: top + (part.outlined ? 5.5 : 3),
        width,
        height: tall - (part.outlined ? 11 : 7),
        fill: part.fill,
        ...(part.outlined ? { stroke: "var(--strong)" } : {}),
      };
  }
  for (const tie of ties(lanes, scale)) {
    const [a, b] = [(tops[tie.from] ?? 0) + 3, (tops[tie.to] ?? 0) + (talls[tie.to] ?? 0) - 4];
    const [top, bottom] = [Math.min(a, b), Math.max(a, b)];
    yield { x: LABEL + tie.x - 0.375, y: top, width: 0.75, height: bottom - top, fill: "var(--ink)", opacity: 0.6 };
  }
}

/** How long a lane did what, in milliseconds, most first. */
export function laneSums(parts: readonly LanePart[], tickMs: number): [words: string, ms: number][] {
  const sums = new Map<string, number>();
  for (const { words, first, last } of parts) sums.set(words, (sums.get(words) ?? 0) + last - first + tickMs);
  return [...sums].sort((a, b) => b[1] - a[1]);
}
