// Where lanes and tape cells stand. Pure: moments and sizes in, places out.

export interface Part {
  readonly first: number; // moment of the first tick, milliseconds
  readonly last: number; // of the last; it stands for a tick more
  readonly blocker: number;
}

export interface Cell<P extends Part> {
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
export function cells<P extends Part>(parts: readonly P[], scale: Scale): Cell<P>[] {
  return parts.flatMap((part) => {
    const x = Math.max(0, placeOf(part.first, scale));
    const end = Math.min(scale.width, placeOf(part.last + scale.tickMs, scale));
    return end <= 0 || x >= scale.width ? [] : [{ part, x, width: Math.max(1, end - x) }];
  });
}

export interface Tie {
  readonly x: number;
  readonly from: number; // lane of the one that waits
  readonly to: number; // lane of the one in its way
}

/** A line from where each waiting stretch begins to the lane of whoever holds it up; the same holder again needs none. */
export function ties(lanes: readonly { readonly pid: number; readonly parts: readonly Part[] }[], scale: Scale): Tie[] {
  const laneOf = new Map(lanes.map((lane, i) => [lane.pid, i]));
  return lanes.flatMap((lane, from) => {
    let held = 0;
    return lane.parts.flatMap((part) => {
      const before = held;
      held = part.blocker;
      const to = laneOf.get(part.blocker);
      if (part.blocker === 0 || part.blocker === before || to === undefined || to === from) return [];
      const x = placeOf(part.first, scale);
      return x < 0 || x > scale.width ? [] : [{ x, from, to }];
    });
  });
}

/** The part that lies at a moment; undefined where there is none. */
export const partAt = <P extends Part>(parts: readonly P[], at: number, tickMs: number): P | undefined =>
  parts.find((part) => part.first <= at && at < part.last + tickMs);
