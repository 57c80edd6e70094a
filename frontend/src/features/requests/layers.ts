// The five layers of a request's time: their order, and the fill that each has everywhere.
import type { Schemas } from "../../api/client";
import { LAYERS } from "../../lib/words/layers";

export type Layer = keyof typeof LAYERS;
export type Layers = Schemas["LayersOut"];

/** What a request waits for, beside its own code; what most often is at fault lies next to the line. */
export const OUTSIDE = ["database", "external", "cache", "queue"] as const satisfies readonly Layer[];
export const EVERY: readonly Layer[] = ["own", ...OUTSIDE];

/** Own code runs, and has the colour of running; the others have tones that no wait kind has. */
export const layerFill = (layer: Layer): string =>
  layer === "own" ? "var(--running)" : `url(#group-${OUTSIDE.indexOf(layer)})`;

/** Milliseconds of all layers together. */
export const whole = (layers: Layers): number => EVERY.reduce((sum, layer) => sum + layers[layer], 0);

export const outside = (layers: Layers): number => whole(layers) - layers.own;

/** A part of a whole in words: "62%", "under 1%", "0%". */
export function percent(part: number, of: number): string {
  const share = of > 0 ? part / of : 0;
  if (share > 0 && share < 0.01) return "under 1%";
  return `${Math.round(share * 100)}%`;
}

/** What is waited for, each with the milliseconds of those before it. */
export const stacked = (layers: Layers): (readonly [Layer, number])[] =>
  OUTSIDE.map((layer, i) => [layer, OUTSIDE.slice(0, i).reduce((sum, one) => sum + layers[one], 0)] as const);
