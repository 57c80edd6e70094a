import { type KeyboardEvent, type PointerEvent, useCallback, useMemo, useState } from "react";

import { stamp } from "../lib/time";
import { count, duration } from "../lib/units";
import type { Table } from "../ui/tableFile";
import { CellCanvas, CellElements } from "./Cells";
import { ChartFrame } from "./ChartFrame";
import { Ladder } from "./Ladder";
import { type Mark, Marks, TimeAxis } from "./TimeAxis";
import {
  type DensityPlot,
  decades,
  densityCells,
  durationY,
  type Region,
  regionOf,
  rungRegion,
  timeX,
  xTime,
  yDuration,
} from "./geometry/density";
import { useSize } from "./useSize";

interface Execution {
  readonly started: number;
  readonly ended: number;
  readonly took_ms: number;
}

/** What ran how long: `counts` holds rows of durations by columns of time, the other rows are sums over the window. */
interface Executions {
  readonly start: number;
  readonly end: number;
  readonly bucket_ms: number;
  readonly starts: readonly number[];
  readonly edges_ms: readonly number[];
  readonly counts: readonly (readonly number[])[];
  readonly row_executions: readonly number[];
  readonly row_total_ms: readonly number[];
  readonly points: readonly Execution[];
}

interface Props {
  readonly what: string; // that are drawn, in the plural, with a small letter
  readonly found: Executions; // the same object as long as nothing changed, or all is painted again
  readonly marks: readonly Mark[];
  readonly reading: string;
  readonly now: number;
  readonly region: Region | null;
  readonly onRegion: (region: Region | null) => void;
}

const LEFT = 52;
const AXIS = 18;
const TOP = 14; // for what is read out
const LADDER = 116; // pixels, at the right
const STEP = 12; // pixels that a key moves the corner of a region

interface Point {
  readonly x: number;
  readonly y: number;
}

interface Corners {
  readonly a: Point;
  readonly b: Point;
}

/** Single executions or requests: time to the right, duration upwards on a logarithmic scale, shade by count, lines when few.
 *
 * Beside it the ladder: how much of all time each class of durations takes. A region is drawn on the picture, or picked
 * whole from the ladder; what lies outside of it is veiled. */
export const Density = ({ what, found, marks, reading, now, region, onRegion }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const [corners, setCorners] = useState<Corners | null>(null);
  const [hover, setHover] = useState<Point | null>(null);
  const plot = useMemo(() => plotOf(found, size), [found, size]);
  const cells = useCallback(() => (found.points.length ? [] : densityCells(plot, found)), [plot, found]);
  const rung = region === null ? null : rungOf(found, region);
  const onKey = (event: KeyboardEvent): void => {
    const by = { PageUp: 1, PageDown: -1 }[event.key];
    if (event.key === "Escape") {
      setCorners(null);
      onRegion(null);
    } else if (event.key === "Enter" && corners) {
      onRegion(regionOf(plot, corners.a, corners.b));
      setCorners(null);
    } else if (by !== undefined) onRegion(rungRegion(found, nextRung(found, rung, by)));
    else if (event.key in MOVES) setCorners(moved(corners ?? firstCorners(plot), event.key, event.shiftKey));
    else return;
    event.preventDefault();
  };
  const shown = corners ?? (region ? cornersOf(plot, region) : null);
  return (
    <ChartFrame title={titleOf(what)} reading={reading} className="h-full" table={() => tableOf(what, found)}>
      <div ref={ref} className="relative h-full">
        <div className="absolute" style={{ top: TOP }}>
          <CellCanvas cells={cells} width={plot.width} height={plot.height} />
        </div>
        <svg
          data-chart
          width={size.width}
          height={size.height}
          className="focus-visible:outline-accent relative block cursor-crosshair touch-none select-none"
          role="application"
          aria-label={`${titleOf(what)}: ${reading} ${KEYS}`}
          tabIndex={0}
          onKeyDown={onKey}
          onPointerDown={(event) => {
            const at = pointOf(event);
            if (event.button !== 0 || at.x > plot.width) return;
            event.currentTarget.setPointerCapture(event.pointerId);
            setCorners({ a: at, b: at });
          }}
          onPointerMove={(event) => {
            const at = pointOf(event);
            setHover(at);
            if (corners && event.buttons) setCorners({ ...corners, b: at });
          }}
          onPointerUp={() => {
            if (corners) onRegion(regionOf(plot, corners.a, corners.b));
            setCorners(null);
          }}
          onPointerLeave={() => setHover(null)}
        >
          <g transform={`translate(0 ${TOP})`}>
            <Scale plot={plot} />
            <CellElements cells={cells} />
            <Points plot={plot} points={found.points} />
            {shown ? <Picked plot={plot} corners={shown} /> : null}
            <Marks marks={marks} x={(at) => timeX(plot, at)} height={plot.height} named />
            <g transform={`translate(${LEFT} 0)`}>
              <TimeAxis from={found.start} to={found.end} width={plot.width - LEFT} y={plot.height} now={now} />
            </g>
            <g transform={`translate(${plot.width + 8} 0)`}>
              <Ladder plot={plot} found={found} width={LADDER - 10} picked={rung} onPick={onRegion} />
            </g>
          </g>
          {hover && hover.x > LEFT && hover.x < plot.width && hover.y > 0 && hover.y < plot.height ? (
            <text x={LEFT + 4} y={10} fontSize="12" fill="var(--ink)">
              {readOut(plot, found, hover)}
            </text>
          ) : null}
        </svg>
      </div>
    </ChartFrame>
  );
};

const KEYS =
  "Arrow keys draw a region, with Shift its other corner; Enter picks it. Page Up and Page Down pick a class of durations. Escape lets go.";

const MOVES: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-STEP, 0],
  ArrowRight: [STEP, 0],
  ArrowUp: [0, -STEP],
  ArrowDown: [0, STEP],
};

const plotOf = (found: Executions, size: { width: number; height: number }): DensityPlot => ({
  start: found.start,
  end: found.end,
  leastMs: found.edges_ms[0] ?? 0.1,
  mostMs: found.edges_ms.at(-1) ?? 1000,
  left: LEFT,
  width: Math.max(LEFT + 10, size.width - LADDER),
  height: Math.max(10, size.height - AXIS - TOP),
});

/** Inside the plot, whose upper edge lies a little below that of the svg. */
function pointOf(event: PointerEvent<SVGSVGElement>): Point {
  const box = event.currentTarget.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top - TOP };
}

const firstCorners = (plot: DensityPlot): Corners => ({
  a: { x: LEFT, y: 0 },
  b: { x: plot.width, y: plot.height / 3 },
});

function moved(from: Corners, key: string, other: boolean): Corners {
  const [dx, dy] = MOVES[key] ?? [0, 0];
  const at = ({ x, y }: Point): Point => ({ x: x + dx, y: y + dy });
  return other ? { ...from, a: at(from.a) } : { ...from, b: at(from.b) };
}

const cornersOf = (plot: DensityPlot, region: Region): Corners => ({
  a: { x: timeX(plot, region.from), y: Math.max(0, durationY(plot, region.mostMs)) },
  b: { x: timeX(plot, region.to), y: durationY(plot, region.leastMs) },
});

/** The class of durations that a region is, over the whole window; null where it is none. */
function rungOf(found: Executions, region: Region): number | null {
  const row = found.edges_ms.findIndex((edge) => Math.abs(edge - region.leastMs) <= edge * 1e-9);
  const same = rungRegion(found, row);
  return same && same.from === region.from && same.to === region.to && same.mostMs === region.mostMs ? row : null;
}

/** The next class above or below that has executions, from the longest where none is picked. */
function nextRung(found: Executions, rung: number | null, by: number): number {
  const full = found.row_executions.flatMap((n, row) => (n > 0 ? [row] : []));
  if (rung === null) return full.at(-1) ?? -1;
  return (by > 0 ? full.find((row) => row > rung) : full.findLast((row) => row < rung)) ?? rung;
}

function readOut(plot: DensityPlot, found: Executions, at: Point): string {
  const ms = yDuration(plot, at.y);
  const moment = xTime(plot, at.x);
  const row = found.edges_ms.findLastIndex((edge) => edge <= ms);
  const column = Math.floor((moment - (found.starts[0] ?? found.start)) / found.bucket_ms);
  const n = found.counts[row]?.[column] ?? 0;
  return `${stamp(moment)}, ${duration(ms)}: ${n >= 10 ? count(Math.round(n)) : Number(n.toPrecision(2))} running`;
}

const titleOf = (what: string): string => `${what.charAt(0).toUpperCase()}${what.slice(1)} by duration`;

const tableOf = (what: string, found: Executions): Table => ({
  columns: ["from", "at least ms", "below ms", what],
  rows: found.counts.flatMap((row, r) =>
    row.flatMap((n, c) =>
      n > 0
        ? [
            [
              new Date(found.starts[c] ?? found.start).toISOString(),
              found.edges_ms[r] ?? 0,
              found.edges_ms[r + 1] ?? 0,
              n,
            ],
          ]
        : [],
    ),
  ),
});

/** Lines at 1, 10, 100 ms and so on. */
const Scale = ({ plot }: { readonly plot: DensityPlot }) => (
  <g fontSize="10" fill="var(--muted)">
    {decades(plot).map((ms) => (
      <g key={ms} transform={`translate(0 ${durationY(plot, ms)})`}>
        <line x1={LEFT} x2={plot.width} stroke="var(--line)" />
        <text x={LEFT - 5} y={3} textAnchor="end">
          {duration(ms)}
        </text>
      </g>
    ))}
    <line x1={LEFT} x2={plot.width} y1={plot.height} y2={plot.height} stroke="var(--strong)" />
  </g>
);

/** All but the region under a veil, and the region's corners. */
const Picked = ({ plot, corners: { a, b } }: { readonly plot: DensityPlot; readonly corners: Corners }) => {
  const [x0, x1] = [Math.max(LEFT, Math.min(a.x, b.x)), Math.min(plot.width, Math.max(a.x, b.x))];
  const [y0, y1] = [Math.max(0, Math.min(a.y, b.y)), Math.min(plot.height, Math.max(a.y, b.y))];
  const arm = Math.min(8, (x1 - x0) / 2, (y1 - y0) / 2);
  const corner = (x: number, y: number, right: number, down: number): string =>
    `M${x + right * arm} ${y}H${x}V${y + down * arm}`;
  return (
    <g pointerEvents="none" data-region>
      <path
        d={`M${LEFT} 0H${plot.width}V${plot.height}H${LEFT}ZM${x0} ${y0}V${y1}H${x1}V${y0}Z`}
        fill="var(--ground)"
        fillOpacity="0.72"
        fillRule="evenodd"
      />
      <path
        d={corner(x0, y0, 1, 1) + corner(x1, y0, -1, 1) + corner(x0, y1, 1, -1) + corner(x1, y1, -1, -1)}
        fill="none"
        stroke="var(--ink)"
        strokeWidth="1.5"
      />
    </g>
  );
};

const Points = ({ plot, points }: { readonly plot: DensityPlot; readonly points: readonly Execution[] }) => (
  <g stroke="var(--running)" strokeWidth="3" strokeLinecap="round" strokeOpacity="0.75">
    {points.map((one, i) => {
      const y = durationY(plot, one.took_ms);
      const x = Math.max(plot.left, timeX(plot, one.started));
      return <line key={i} x1={x} x2={Math.min(plot.width, Math.max(x + 0.1, timeX(plot, one.ended)))} y1={y} y2={y} />;
    })}
  </g>
);
