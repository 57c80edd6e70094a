import type { Schemas } from "../../api/client";
import { TimePlot } from "../../charts/TimePlot";
import { LAYERS } from "../../lib/words/layers";
import { present } from "../../lib/time";
import { duration } from "../../lib/units";
import { EVERY, type Layer, type Layers, layerFill, outside, stacked } from "./layers";

type Page = Schemas["SeriesOut"];

const at = (page: Page, layer: Layer, cell: number): number | null => page.layers[layer]?.[cell] ?? null;

const layersAt = (page: Page, cell: number): Layers => ({
  own: at(page, "own", cell) ?? 0,
  database: at(page, "database", cell) ?? 0,
  cache: at(page, "cache", cell) ?? 0,
  external: at(page, "external", cell) ?? 0,
  queue: at(page, "queue", cell) ?? 0,
});

const ROOM = 24; // pixels that a label needs beside that of the line

/** What a request took over time: own code above the line, what it waited for below it. Without a request, nothing. */
export const LayerChart = ({ page }: { readonly page: Page }) => {
  const cells = page.starts.map((_, i) => i);
  const below = (cell: number): number => outside(layersAt(page, cell));
  const up = Math.max(1e-6, ...cells.map((cell) => at(page, "own", cell) ?? 0));
  const down = Math.max(1e-6, ...cells.map(below));
  const told = (cell: number | null): string => {
    if (cell === null) return "mean of a request";
    if (at(page, "own", cell) === null) return "no request";
    const parts = EVERY.map((layer) => [layer, at(page, layer, cell) ?? 0] as const).filter(([, ms]) => ms > 0);
    const rate = page.per_second[cell] ?? 0;
    return `${parts.map(([layer, ms]) => `${LAYERS[layer]} ${duration(ms)}`).join(", ")}; ${Number(rate.toPrecision(3))} requests a second`;
  };
  return (
    <TimePlot
      title="What a request takes, by layer"
      starts={page.starts}
      bucketMs={page.bucket_ms}
      start={page.starts[0] ?? 0}
      end={page.end}
      now={present()}
      told={told}
      table={() => ({
        columns: ["requests a second", ...EVERY.map((layer) => `${LAYERS[layer]}, ms a request`)],
        cells: [page.per_second, ...EVERY.map((layer) => cells.map((cell) => at(page, layer, cell)))],
      })}
      margin={{ top: 16, left: 4, right: 110 }}
      height={190}
    >
      {(plot) => {
        const scale = plot.height / (up + down);
        const zero = up * scale;
        return (
          <>
            {cells.map((cell) => {
              const [left, right] = [plot.x(page.starts[cell] ?? 0), plot.x((page.starts[cell] ?? 0) + page.bucket_ms)];
              const wide = Math.max(1, right - left - 0.5);
              const layers = layersAt(page, cell);
              const own = layers.own * scale;
              return (
                <g key={cell} opacity={plot.cursor === null || plot.cursor === cell ? 1 : 0.6}>
                  <rect x={left} y={zero - own} width={wide} height={own} fill={layerFill("own")} />
                  {stacked(layers).map(([layer, before]) => (
                    <rect
                      key={layer}
                      x={left}
                      y={zero + before * scale}
                      width={wide}
                      height={layers[layer] * scale}
                      fill={layerFill(layer)}
                    />
                  ))}
                </g>
              );
            })}
            <line x2={plot.width} y1={zero} y2={zero} stroke="var(--strong)" />
            <Labels x={plot.width + 4} zero={zero} height={plot.height} up={duration(up)} down={duration(down)} />
            <text y={-5} fontSize="11" fill="var(--ink)">
              {plot.cursor === null ? "" : `${plot.when}: ${told(plot.cursor)}`}
            </text>
          </>
        );
      }}
    </TimePlot>
  );
};

interface LabelsProps {
  readonly x: number;
  readonly zero: number; // where the line stands, pixels from above
  readonly height: number;
  readonly up: string;
  readonly down: string;
}

/** What lies on either side of the line, and how much at most; where a side is low, both in one line. */
const Labels = ({ x, zero, height, up, down }: LabelsProps) => {
  const [above, below] = [zero >= ROOM, height - zero >= ROOM + 12];
  const line = Math.max(zero - 3, 8);
  return (
    <g fontSize="10" fill="var(--muted)">
      {above ? (
        <text x={x} y={9}>
          {up}
        </text>
      ) : null}
      <text x={x} y={line}>
        own code ↑ {above ? "" : up}
      </text>
      <text x={x} y={Math.min(line + 12, height - 1)}>
        waited ↓ {below ? "" : down}
      </text>
      {below ? (
        <text x={x} y={height - 1}>
          {down}
        </text>
      ) : null}
    </g>
  );
};
