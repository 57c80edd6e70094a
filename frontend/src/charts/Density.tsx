import { useState } from "react";

import { stamp } from "../lib/time";
import { count, duration } from "../lib/units";
import { ChartFrame } from "./ChartFrame";
import { timeTicks } from "./geometry/axis";
import {
  type DensityPlot,
  decades,
  durationY,
  type Region,
  regionOf,
  shade,
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

interface Props {
  readonly start: number;
  readonly end: number;
  readonly bucketMs: number;
  readonly starts: readonly number[];
  readonly edgesMs: readonly number[];
  readonly counts: readonly (readonly number[])[];
  readonly points: readonly Execution[];
  readonly marks: readonly { readonly at: number; readonly label: string }[];
  readonly reading: string;
  readonly now: number;
  readonly region: Region | null;
  readonly onRegion: (region: Region | null) => void;
}

const LEFT = 52;
const AXIS = 16;
const STEP = 12; // pixels that a key moves the corner of a region

interface Corners {
  readonly a: { readonly x: number; readonly y: number };
  readonly b: { readonly x: number; readonly y: number };
}

/** Single executions: time to the right, duration upwards on a logarithmic scale, shade by count, lines when few. */
export const Density = (props: Props) => {
  const { start, end, edgesMs, counts, starts, points, marks, now, region, onRegion } = props;
  const [ref, size] = useSize<HTMLDivElement>();
  const [corners, setCorners] = useState<Corners | null>(null);
  const [hover, setHover] = useState<{ x: number; y: number } | null>(null);
  const plot: DensityPlot = {
    start,
    end,
    leastMs: edgesMs[0] ?? 0.1,
    mostMs: edgesMs.at(-1) ?? 1000,
    left: LEFT,
    width: size.width,
    height: Math.max(10, size.height - AXIS),
  };
  const most = Math.max(0, ...counts.flat());
  const place = (event: { clientX: number; clientY: number; currentTarget: Element }): { x: number; y: number } => {
    const box = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  };
  const keys = (key: string, shift: boolean): boolean => {
    const moves: Readonly<Record<string, readonly [number, number]>> = {
      ArrowLeft: [-STEP, 0],
      ArrowRight: [STEP, 0],
      ArrowUp: [0, -STEP],
      ArrowDown: [0, STEP],
    };
    if (key === "Escape") {
      setCorners(null);
      onRegion(null);
      return true;
    }
    if (key === "Enter" && corners) {
      onRegion(regionOf(plot, corners.a, corners.b));
      setCorners(null);
      return true;
    }
    const move = moves[key];
    if (!move) return false;
    const from = corners ?? {
      a: { x: LEFT, y: 0 },
      b: { x: size.width, y: plot.height / 3 },
    };
    const moved = (p: { x: number; y: number }) => ({ x: p.x + move[0], y: p.y + move[1] });
    setCorners(shift ? { ...from, a: moved(from.a) } : { ...from, b: moved(from.b) });
    return true;
  };
  const shown = corners ?? (region ? cornersOf(plot, region) : null);
  return (
    <ChartFrame
      title="Executions by duration"
      reading={props.reading}
      className="h-full"
      table={() => ({
        columns: ["from", "at least ms", "below ms", "executions"],
        rows: counts.flatMap((row, r) =>
          row.flatMap((n, c) =>
            n > 0 ? [[new Date(starts[c] ?? start).toISOString(), edgesMs[r] ?? 0, edgesMs[r + 1] ?? 0, n]] : [],
          ),
        ),
      })}
    >
      <div ref={ref} className="h-full">
        <svg
          data-chart
          width={size.width}
          height={size.height}
          className="focus-visible:outline-accent block cursor-crosshair touch-none select-none"
          role="application"
          aria-label={`Executions by duration: ${props.reading} Arrow keys draw a region, with shift its other corner; Enter picks it, Escape lets it go.`}
          tabIndex={0}
          onKeyDown={(event) => {
            if (keys(event.key, event.shiftKey)) event.preventDefault();
          }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            const at = place(event);
            setCorners({ a: at, b: at });
          }}
          onPointerMove={(event) => {
            const at = place(event);
            setHover(at);
            if (corners && event.buttons) setCorners({ ...corners, b: at });
          }}
          onPointerUp={() => {
            if (corners) onRegion(regionOf(plot, corners.a, corners.b));
            setCorners(null);
          }}
          onPointerLeave={() => setHover(null)}
        >
          {decades(plot).map((ms) => (
            <g key={ms}>
              <line x1={LEFT} x2={size.width} y1={durationY(plot, ms)} y2={durationY(plot, ms)} stroke="var(--line)" />
              <text
                x={LEFT - 5}
                y={Math.max(9, durationY(plot, ms) + 3)}
                fontSize="10"
                textAnchor="end"
                fill="var(--muted)"
              >
                {duration(ms)}
              </text>
            </g>
          ))}
          {points.length ? (
            <Points plot={plot} points={points} />
          ) : (
            <Cells
              plot={plot}
              counts={counts}
              edgesMs={edgesMs}
              starts={starts}
              bucketMs={props.bucketMs}
              most={most}
            />
          )}
          {marks.map((mark) => (
            <g key={`${mark.at}${mark.label}`}>
              <line
                x1={timeX(plot, mark.at)}
                x2={timeX(plot, mark.at)}
                y2={plot.height}
                stroke="var(--danger)"
                strokeDasharray="3 2"
              />
              <text x={timeX(plot, mark.at) + 3} y={10} fontSize="10" fill="var(--danger)">
                {mark.label}
              </text>
            </g>
          ))}
          <line x1={LEFT} x2={size.width} y1={plot.height} y2={plot.height} stroke="var(--strong)" />
          {timeTicks(start, end, size.width - LEFT, now, 90).map((tick) => (
            <text key={tick.at} x={tick.x + LEFT + 2} y={size.height - 3} fontSize="10" fill="var(--muted)">
              {tick.label}
            </text>
          ))}
          {shown ? (
            <rect
              data-region
              x={Math.min(shown.a.x, shown.b.x)}
              y={Math.min(shown.a.y, shown.b.y)}
              width={Math.abs(shown.a.x - shown.b.x)}
              height={Math.abs(shown.a.y - shown.b.y)}
              fill="var(--accent)"
              fillOpacity="0.08"
              stroke="var(--accent)"
            />
          ) : null}
          {hover && hover.x > LEFT && hover.y < plot.height ? (
            <text x={size.width - 26} y={11} fontSize="12" textAnchor="end" fill="var(--ink)">
              {readOut(plot, props, hover)}
            </text>
          ) : null}
        </svg>
      </div>
    </ChartFrame>
  );
};

function cornersOf(plot: DensityPlot, region: Region): Corners {
  return {
    a: { x: timeX(plot, region.from), y: Math.max(0, durationY(plot, region.mostMs)) },
    b: { x: timeX(plot, region.to), y: durationY(plot, region.leastMs) },
  };
}

function readOut(plot: DensityPlot, props: Props, at: { readonly x: number; readonly y: number }): string {
  const ms = yDuration(plot, at.y);
  const moment = xTime(plot, at.x);
  const row = props.edgesMs.findLastIndex((edge) => edge <= ms);
  const column = Math.floor((moment - (props.starts[0] ?? props.start)) / props.bucketMs);
  const n = props.counts[row]?.[column] ?? 0;
  return `${stamp(moment)}, ${duration(ms)}: ${n >= 10 ? count(Math.round(n)) : Number(n.toPrecision(2))} running`;
}

const Points = ({ plot, points }: { readonly plot: DensityPlot; readonly points: readonly Execution[] }) => (
  <g stroke="var(--running)" strokeWidth="3" strokeLinecap="round" strokeOpacity="0.75">
    {points.map((one, i) => {
      const y = durationY(plot, one.took_ms);
      const x = Math.max(plot.left, timeX(plot, one.started));
      return <line key={i} x1={x} x2={Math.min(plot.width, Math.max(x + 0.1, timeX(plot, one.ended)))} y1={y} y2={y} />;
    })}
  </g>
);

interface CellsProps {
  readonly plot: DensityPlot;
  readonly counts: readonly (readonly number[])[];
  readonly edgesMs: readonly number[];
  readonly starts: readonly number[];
  readonly bucketMs: number;
  readonly most: number;
}

const Cells = ({ plot, counts, edgesMs, starts, bucketMs, most }: CellsProps) => (
  <g fill="var(--running)">
    {counts.flatMap((row, r) =>
      row.map((n, c) => {
        if (n <= 0) return null;
        const top = durationY(plot, edgesMs[r + 1] ?? plot.mostMs);
        const from = Math.max(plot.left, timeX(plot, starts[c] ?? plot.start));
        const to = Math.min(plot.width, timeX(plot, (starts[c] ?? plot.start) + bucketMs));
        return (
          <rect
            key={`${r}.${c}`}
            x={from}
            y={top}
            width={Math.max(0.5, to - from)}
            height={Math.max(1, durationY(plot, edgesMs[r] ?? plot.leastMs) - top)}
            fillOpacity={shade(n, most)}
          />
        );
      }),
    )}
  </g>
);
