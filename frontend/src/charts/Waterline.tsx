import { useMemo } from "react";

import { clock, span, stamp } from "../lib/time";
import { sessions } from "../lib/units";
import { ChartFrame } from "./ChartFrame";
import { valueTicks } from "./geometry/axis";
import { edges, isGap, stacks, stackValue } from "./geometry/stacks";
import { type LoadLike, waterline } from "./geometry/waterline";
import type { Table } from "../ui/tableFile";
import { Gaps, TimeAxis } from "./TimeAxis";
import { type Region, useBrush } from "./useBrush";
import { useSize } from "./useSize";

interface Props {
  readonly load: LoadLike & { readonly gaps: readonly { readonly start: number; readonly end: number }[] };
  readonly cores: number | null;
  readonly now: number;
  readonly reading: string;
  readonly before?: LoadLike | null; // the same hours earlier, drawn as a line on each side
  readonly dimmed: readonly string[]; // keys of layers that the trail leaves out
  readonly onBrush: (from: number, to: number) => void;
  readonly onHold: (held: boolean) => void;
}

const AXIS = 18;
const TOP = 15; // room for the word at the ceiling
const LEFT = 34;

/** Running above the line, waiting below it. Drag to pick a window; arrow keys read bucket by bucket. */
export const Waterline = ({ load, before = null, cores, now, reading, dimmed, onBrush, onHold }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const plot = { width: Math.max(10, size.width - LEFT), height: Math.max(10, size.height - AXIS - TOP) };
  const shape = useMemo(
    () => waterline(load, { width: plot.width, height: plot.height }, cores),
    [load, plot.width, plot.height, cores],
  );
  const brush = useBrush(load, plot.width, LEFT, onBrush);
  const { cursor, region } = brush;

  return (
    <ChartFrame title="Waterline" reading={reading} table={() => tableOf(load)} className="h-full">
      {/* It takes keys as an application does: the rule takes it for a text. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions */}
      <div
        ref={ref}
        className="h-full w-full"
        tabIndex={0}
        role="application"
        aria-label={`Load over time. ${reading}. Arrow keys read it, with Shift they draw a window; Enter shows it.`}
        onKeyDown={brush.onKey}
        onBlur={brush.blur}
      >
        <svg
          data-chart
          width={size.width}
          height={size.height}
          className="block touch-none select-none"
          {...brush.pointer}
          onPointerEnter={() => onHold(true)}
          onPointerLeave={() => {
            brush.leave();
            onHold(false);
          }}
        >
          <g transform={`translate(${LEFT} ${TOP})`}>
            <Axes shape={shape} plot={plot} load={load} now={now} />
            {shape.layers.map(({ key, side, fill, path }) => (
              <path key={key + side} d={path} fill={fill} opacity={dimmed.includes(key) ? 0.25 : 1} data-layer={key} />
            ))}
            <path d={shape.over} fill="url(#over-cores)" opacity={dimmed.includes("running") ? 0.25 : 1} />
            <Usual band={shape.band} />
            {before ? <Before before={before} shape={shape} load={load} /> : null}
            <Gaps
              gaps={load.gaps}
              x={shape.x}
              height={plot.height}
              labelY={Math.min(plot.height - 4, shape.line + 20)}
            />
            <line x2={plot.width} y1={shape.line} y2={shape.line} stroke="var(--ink)" strokeWidth="1" />
            {shape.ceiling === null ? null : <Ceiling y={shape.ceiling} width={plot.width} cores={cores} />}
            {region === null ? null : <Drawn region={region} load={load} shape={shape} height={plot.height} />}
            {cursor === null ? null : <Cursor load={load} shape={shape} bucket={cursor} plot={plot} />}
          </g>
        </svg>
      </div>
      <p className="sr-only" aria-live="polite">
        {region === null ? "" : `${regionWords(load, region)} `}
        {cursor === null ? "" : bucketSentence(load, cursor)}
      </p>
    </ChartFrame>
  );
};

const regionWords = (load: LoadLike, { first, last }: Region): string =>
  `Drawn: ${span(load.starts[first] ?? load.start, (load.starts[last] ?? load.start) + load.bucket_ms, load.end)}; Enter shows it.`;

type Shape = ReturnType<typeof waterline>;

/** What is usual at this hour, on each side a faint band. */
const Usual = ({ band }: { readonly band: Shape["band"] }) =>
  band.map((path, i) => (
    <path
      key={i}
      d={path}
      fill="var(--ink)"
      fillOpacity="0.07"
      stroke="var(--ink)"
      strokeOpacity="0.45"
      strokeWidth="0.75"
      strokeDasharray="1 2"
      pointerEvents="none"
      data-usual
    />
  ));

const Ceiling = ({
  y,
  width,
  cores,
}: {
  readonly y: number;
  readonly width: number;
  readonly cores: number | null;
}) => (
  <g>
    <line x2={width} y1={y} y2={y} stroke="var(--ink)" strokeWidth="0.75" />
    <text x={2} y={y - 3} fontSize="11" fill="var(--muted)">
      {cores} cores
    </text>
  </g>
);

interface DrawnProps {
  readonly region: Region;
  readonly load: LoadLike;
  readonly shape: Shape;
  readonly height: number;
}

/** The window that is being drawn. */
const Drawn = ({ region, load, shape, height }: DrawnProps) => {
  const from = shape.x(load.starts[region.first] ?? load.start);
  const to = shape.x((load.starts[region.last] ?? load.start) + load.bucket_ms);
  return <rect x={from} width={to - from} height={height} fill="var(--accent)" opacity="0.15" data-region />;
};

/** Total running and total waiting of an earlier window of the same length, shifted onto this one. */
const Before = ({ before, shape, load }: { before: LoadLike; shape: Shape; load: LoadLike }) => {
  const all = stacks(before);
  const shift = load.start - before.start;
  const path = (side: "up" | "down"): string => {
    let pen = "M";
    return before.starts
      .map((start, i) => {
        if (isGap(all, i)) {
          pen = "M";
          return "";
        }
        const height = edges(all, side, i).at(-1)?.high ?? 0;
        const at = shape.x(start + shift + before.bucket_ms / 2);
        const step = `${pen}${at.toFixed(1)} ${shape.y(side === "up" ? height : -height).toFixed(1)}`;
        pen = "L";
        return step;
      })
      .join("");
  };
  return (
    <g fill="none" stroke="var(--ink)" strokeWidth="1.25" pointerEvents="none" data-before>
      <path d={path("up")} />
      <path d={path("down")} />
    </g>
  );
};

interface Plot {
  readonly width: number;
  readonly height: number;
}

const Axes = ({ shape, plot, load, now }: { shape: Shape; plot: Plot; load: LoadLike; now: number }) => (
  <g fontSize="11" fill="var(--muted)">
    {valueTicks(shape.down, (v) => shape.y(-v)).map(({ value, y }) => (
      <g key={`d${value}`}>
        <line x2={plot.width} y1={y} y2={y} stroke="var(--line)" />
        <text x={-6} y={y + 4} textAnchor="end">
          {value}
        </text>
      </g>
    ))}
    {valueTicks(shape.up, (v) => shape.y(v), 2)
      .filter(({ y }) => y < shape.line - 10 && (shape.ceiling === null || Math.abs(y - shape.ceiling) > 11))
      .map(({ value, y }) => (
        <g key={`u${value}`}>
          <line x2={plot.width} y1={y} y2={y} stroke="var(--line)" />
          <text x={-6} y={y + 4} textAnchor="end">
            {value}
          </text>
        </g>
      ))}
    <TimeAxis from={load.start} to={load.end} width={plot.width} y={plot.height} now={now} />
  </g>
);

const Cursor = ({ load, shape, bucket, plot }: { load: LoadLike; shape: Shape; bucket: number; plot: Plot }) => {
  const start = load.starts[bucket] ?? load.start;
  const [x0, x1] = [shape.x(start), shape.x(start + load.bucket_ms)];
  const values = bucketLines(load, bucket);
  const lines = values?.toSorted((a, b) => b.value - a.value) ?? [];
  const width = 220;
  const left = x1 + width + 10 < plot.width ? x1 + 8 : Math.max(0, x0 - width - 8);
  return (
    <g pointerEvents="none">
      <rect x={x0} width={Math.max(1, x1 - x0)} height={plot.height} fill="var(--ink)" opacity="0.08" />
      <g transform={`translate(${left} 4)`}>
        <rect width={width} height={22 + 15 * Math.max(1, lines.length)} fill="var(--raised)" stroke="var(--strong)" />
        <text x={8} y={15} fontSize="12" fontWeight="600" fill="var(--ink)">
          {stamp(start)} – {clock(start + load.bucket_ms)}
        </text>
        {lines.length ? (
          lines.map(({ key, label, fill, value }, i) => (
            <g key={key} transform={`translate(8 ${30 + 15 * i})`} fontSize="12" fill="var(--ink)">
              <rect y={-9} width={10} height={10} fill={fill} />
              <text x={15}>{shortened(label)}</text>
              <text x={width - 16} textAnchor="end">
                {sessions(value)}
              </text>
            </g>
          ))
        ) : (
          <text x={8} y={30} fontSize="12" fill="var(--muted)">
            {values ? "no session active" : "not sampled"}
          </text>
        )}
      </g>
    </g>
  );
};

function bucketSentence(load: LoadLike, bucket: number): string {
  const at = stamp(load.starts[bucket] ?? load.start);
  const values = bucketLines(load, bucket);
  if (!values) return `${at}: not sampled`;
  const parts = values.map(({ label, value }) => `${label} ${sessions(value)}`);
  return `${at}: ${parts.join(", ") || "no session active"}`;
}

const MAX_LABEL = 28; // characters that fit beside the figure

const shortened = (label: string): string => (label.length > MAX_LABEL ? `${label.slice(0, MAX_LABEL - 1)}…` : label);

/** What is not zero in a bucket, in the order of the layers; null in a gap. */
function bucketLines(load: LoadLike, bucket: number) {
  const all = stacks(load);
  if (isGap(all, bucket)) return null;
  return all.map((stack) => ({ ...stack, value: stackValue(stack, bucket) ?? 0 })).filter(({ value }) => value > 0);
}

function tableOf(load: LoadLike): Table {
  const all = stacks(load);
  return {
    columns: ["from", ...all.map(({ label }) => label)],
    rows: load.starts.map((start, i) => [new Date(start).toISOString(), ...all.map((stack) => stackValue(stack, i))]),
  };
}
