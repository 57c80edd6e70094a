// Patterns of the wait kinds and of other values: small tiles, named as marks refer to them.
import type { Kind } from "./kinds";

export interface Texture {
  readonly id: string;
  readonly size: number; // of the tile, pixels
  readonly ground: string; // a variable of the theme
  readonly path: string; // stroked over it; empty: nothing
  readonly stroke: string;
  readonly strokeOpacity: number;
  readonly strokeWidth: number;
}

const kind = (name: Kind, size: number, path: string, strokeWidth: number): Texture => ({
  ...{ id: `kind-${name}`, size, path, strokeWidth },
  ...{ ground: `var(--${name})`, stroke: "var(--ground)", strokeOpacity: 0.55 },
});

const tone = ([size, path, strokeWidth]: readonly [number, string, number], i: number): Texture => ({
  ...{ id: `group-${i}`, size, path, strokeWidth },
  ...{ ground: `var(--tone-${i})`, stroke: "var(--ground)", strokeOpacity: 0.6 },
});

// Light strokes over the kind's colour. Locks are the boldest; kinds that seldom matter are the quietest.
const KINDS: readonly Texture[] = [
  kind("lock", 6, "M-1 7 7 -1M-1 1 1 -1M5 7 7 5", 1.6),
  kind("data_io", 5, "M0 2.5H5", 1),
  kind("commit", 5, "M2.5 0V5", 1),
  kind("engine", 5, "M1.4 2.5H3.4", 1.8),
  kind("other_process", 7, "M0 3.5H7M3.5 0V7", 0.8),
  kind("client", 8, "M0 8 8 0", 0.7),
  kind("sleep", 8, "M4 3.5V4.5", 1.2),
];

// Values of other dimensions: tones that no wait kind has, largest value first; the last is "others".
const TONES: readonly Texture[] = (
  [
    [6, "", 0],
    [7, "M0 7 7 0", 1.2],
    [5, "M2.5 2.5H3.5", 1.4],
    [6, "M0 3H6", 1.2],
    [6, "M3 0V6", 1.2],
    [7, "M0 0 7 7", 1.2],
    [7, "M0 3.5H7M3.5 0V7", 0.7],
  ] as const
).map(tone);

const OVER_CORES: Texture = {
  ...{ id: "over-cores", size: 5, path: "M-1 6 6 -1M-1 1 1 -1M4 6 6 4", strokeWidth: 2 },
  ...{ ground: "var(--ground)", stroke: "var(--running)", strokeOpacity: 1 },
};

export const TEXTURES: readonly Texture[] = [...KINDS, ...TONES, OVER_CORES];
