// Where ticks of the time and value axes stand. Pure: moments and sizes in, places and words out.
import { scaleLinear } from "d3-scale";

import { clock, day } from "../../lib/time";
import { fromWall, wall } from "../../lib/zone";

export interface AxisTick {
  readonly at: number;
  readonly x: number;
  readonly label: string;
}

const STEPS_S = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10800, 21600, 43200, 86400, 604800];
const WEEK_S = 604_800;

/** Ticks of a time axis on round local times, at least `apart` pixels from each other. */
export function timeTicks(from: number, to: number, width: number, now: number, apart = 90): AxisTick[] {
  const length = to - from;
  if (width <= 0 || length <= 0) return [];
  const least = (apart * length) / width / 1000; // seconds between two ticks that stand far enough apart
  const step = 1000 * (STEPS_S.find((s) => s >= least) ?? WEEK_S * Math.ceil(least / WEEK_S));
  // Round by the clock that is shown, tick by tick: its offset may change within the axis.
  const first = Math.ceil(wall(from).getTime() / step) * step;
  const ticks: AxisTick[] = [];
  for (let told = first; fromWall(told) < to; told += step) {
    const at = fromWall(told);
    if (at < from) continue; // an hour that the clock had twice
    const midnight = told % 86_400_000 === 0;
    const label = step >= 86_400_000 || (midnight && length > 43_200_000) ? day(at, now) : clock(at, step < 60_000);
    const x = ((at - from) / length) * width;
    if (x < width - 7 * label.length) ticks.push({ at, x, label }); // a word cut off at the edge helps nobody
  }
  return ticks;
}

export interface ValueTick {
  readonly value: number;
  readonly y: number;
}

/** A few round values between 0 and `most`, placed by `y`. */
export function valueTicks(most: number, y: (value: number) => number, about = 3): ValueTick[] {
  return scaleLinear([0, Math.max(most, 1e-9)], [0, 1])
    .ticks(about)
    .filter((value) => value > 0)
    .map((value) => ({ value, y: y(value) }));
}
