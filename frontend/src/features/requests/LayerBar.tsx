import { LAYERS } from "../../lib/words/layers";
import { duration } from "../../lib/units";
import { EVERY, type Layers, layerFill, percent, stacked, whole } from "./layers";

interface BarProps {
  readonly layers: Layers;
  readonly ownMost: number; // the most own code of all rows, and the most of everything else: the line stands between
  readonly outsideMost: number;
  readonly width?: number;
}

/** Own code to the left of a small line, what was waited for to its right, layer by layer. */
export const LayerBar = ({ layers, ownMost, outsideMost, width = 180 }: BarProps) => {
  const scale = (width - 2) / (ownMost + outsideMost || 1);
  const line = ownMost * scale + 1;
  return (
    <svg width={width} height={12} role="img" aria-label={layerWords(layers)} className="block">
      <title>{layerWords(layers)}</title>
      <rect x={line - layers.own * scale} y={1} width={layers.own * scale} height={10} fill={layerFill("own")} />
      {stacked(layers).map(([layer, before]) => (
        <rect
          key={layer}
          x={line + before * scale}
          y={1}
          width={layers[layer] * scale}
          height={10}
          fill={layerFill(layer)}
        />
      ))}
      <line x1={line} x2={line} y2={12} stroke="var(--strong)" />
    </svg>
  );
};

/** "database 120 ms (60%), own code 80 ms (40%)". */
export const layerWords = (layers: Layers): string =>
  EVERY.filter((layer) => layers[layer] > 0)
    .toSorted((a, b) => layers[b] - layers[a])
    .map((layer) => `${LAYERS[layer]} ${duration(layers[layer])} (${percent(layers[layer], whole(layers))})`)
    .join(", ");

/** The layers with their figures: a legend that is read. */
export const LayerSums = ({ layers, each = 1 }: { readonly layers: Layers; readonly each?: number }) => (
  <ul className="flex flex-wrap gap-x-5 gap-y-1 text-sm" aria-label="time by layer">
    {EVERY.map((layer) => (
      <li key={layer} className={`flex items-center gap-1.5 ${layers[layer] > 0 ? "" : "text-muted"}`}>
        <svg width={12} height={12} aria-hidden="true">
          <rect width={12} height={12} fill={layerFill(layer)} />
        </svg>
        {LAYERS[layer]} <b className="font-semibold">{percent(layers[layer], whole(layers))}</b>
        <span className="text-muted">{duration(layers[layer] / each)}</span>
      </li>
    ))}
  </ul>
);
