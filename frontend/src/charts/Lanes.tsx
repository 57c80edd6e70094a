import { type KeyboardEvent, type MouseEvent, useState } from "react";

import { stamp } from "../lib/time";
import { ChartFrame } from "./ChartFrame";
import { timeTicks } from "./geometry/axis";
import { type Part, cells, partAt, placeOf, ties } from "./geometry/lanes";
import type { Table } from "../ui/tableFile";
import { useSize } from "./useSize";

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

interface Props {
  readonly title: string;
  readonly reading: string;
  readonly lanes: readonly Lane[];
  readonly from: number;
  readonly to: number;
  readonly tickMs: number;
  readonly now: number;
  readonly at: number | null; // the moment that is looked at
  readonly onMoment: (at: number) => void;
  readonly onLane?: (key: string) => void;
  readonly gaps?: readonly { readonly start: number; readonly end: number }[];
}

const LABEL = 190; // pixels
const ROW = 20;
const ROOT = 26;
const AXIS = 20;

/** A lane per session, time to the right, and from each waiting stretch a line to the lane that held it. */
export const Lanes = ({ title, reading, lanes, from, to, tickMs, now, at, onMoment, onLane, gaps = [] }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const [over, setOver] = useState<number | null>(null);
  const scale = { from, to, width: Math.max(0, size.width - LABEL - 4), tickMs };
  const tops: number[] = [];
  let height = 0;
  for (const lane of lanes) {
    tops.push(height);
    height += lane.root ? ROOT : ROW;
  }
  const momentAt = (event: MouseEvent<SVGSVGElement>): number => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left - LABEL;
    return Math.round(from + (Math.max(0, Math.min(scale.width, x)) / Math.max(1, scale.width)) * (to - from));
  };
  const step = (event: KeyboardEvent): void => {
    const by = event.key === "ArrowRight" ? tickMs : event.key === "ArrowLeft" ? -tickMs : 0;
    if (by === 0) return;
    event.preventDefault();
    onMoment(Math.max(from, Math.min(to - 1, (at ?? from) + by)));
  };
  const shown = over ?? at;
  const table = (): Table => ({
    columns: ["session", "pid", "from", "to", "what", "blocked by pid"],
    rows: lanes.flatMap((lane) =>
      lane.parts.map((part) => [
        lane.label,
        lane.pid,
        new Date(part.first).toISOString(),
        new Date(part.last + tickMs).toISOString(),
        part.words,
        part.blocker > 0 ? part.blocker : null,
      ]),
    ),
  });
  return (
    <ChartFrame title={title} reading={reading} table={table}>
      <div ref={ref} className="max-h-[400px] w-full overflow-y-auto pt-4">
        <svg
          data-chart=""
          width={size.width}
          height={height + AXIS}
          role="application"
          tabIndex={0}
          aria-label={`${title}: arrow keys step through the moments`}
          onKeyDown={step}
          onMouseMove={(event) => setOver(momentAt(event))}
          onMouseLeave={() => setOver(null)}
          onClick={(event) => onMoment(momentAt(event))}
        >
          {gaps.map((gap) => (
            <rect
              key={gap.start}
              x={LABEL + Math.max(0, placeOf(gap.start, scale))}
              width={Math.max(
                0,
                Math.min(scale.width, placeOf(gap.end, scale)) - Math.max(0, placeOf(gap.start, scale)),
              )}
              height={height}
              fill="none"
              stroke="var(--line)"
              strokeDasharray="2 3"
            >
              <title>not sampled</title>
            </rect>
          ))}
          {lanes.map((lane, i) => {
            const top = tops[i] ?? 0;
            const tall = lane.root ? ROOT : ROW;
            return (
              <g key={lane.key} transform={`translate(0 ${top})`}>
                <text
                  y={tall / 2 + 4}
                  className={`cursor-pointer text-xs ${lane.root ? "font-semibold" : ""}`}
                  fill="var(--ink)"
                  onClick={(event) => {
                    event.stopPropagation();
                    onLane?.(lane.key);
                  }}
                >
                  <title>{`${lane.label}, pid ${lane.pid}: see its tape`}</title>
                  {lane.label.length > 22 ? `${lane.label.slice(0, 21)}…` : lane.label}
                  <tspan fill="var(--muted)"> {lane.note}</tspan>
                </text>
                <line x1={LABEL} x2={size.width} y1={tall - 1} y2={tall - 1} stroke="var(--line)" strokeWidth="0.5" />
                {cells(lane.parts, scale).map(({ part, x, width }) => (
                  <rect
                    key={`${part.first}-${part.blocker}`}
                    x={LABEL + x}
                    y={part.outlined ? 5.5 : 3}
                    width={width}
                    height={tall - (part.outlined ? 11 : 7)}
                    fill={part.fill}
                    stroke={part.outlined ? "var(--strong)" : "none"}
                  />
                ))}
              </g>
            );
          })}
          {ties(
            lanes.map(({ pid, parts }) => ({ pid, parts })),
            scale,
          ).map((tie, i) => (
            <line
              key={i}
              x1={LABEL + tie.x}
              x2={LABEL + tie.x}
              y1={(tops[tie.from] ?? 0) + 3}
              y2={(tops[tie.to] ?? 0) + (lanes[tie.to]?.root ? ROOT : ROW) - 4}
              stroke="var(--ink)"
              strokeWidth="0.75"
              opacity="0.6"
            />
          ))}
          {shown === null ? null : (
            <line
              x1={LABEL + placeOf(shown, scale)}
              x2={LABEL + placeOf(shown, scale)}
              y2={height}
              stroke="var(--accent)"
              strokeDasharray={over === null ? undefined : "3 2"}
            />
          )}
          <g transform={`translate(${LABEL} ${height})`}>
            {timeTicks(from, to, scale.width, now).map((tick) => (
              <g key={tick.at} transform={`translate(${tick.x} 0)`}>
                <line y2="4" stroke="var(--strong)" />
                <text y="15" x="-3" className="text-[11px]" fill="var(--muted)">
                  {tick.label}
                </text>
              </g>
            ))}
          </g>
        </svg>
      </div>
      <p className="text-muted min-h-5 text-sm" aria-live="polite">
        {shown === null ? "Click or use the arrow keys to choose a moment." : readOut(lanes, shown, tickMs)}
      </p>
    </ChartFrame>
  );
};

function readOut(lanes: readonly Lane[], at: number, tickMs: number): string {
  const told = lanes.flatMap((lane) => {
    const part = partAt(lane.parts, at, tickMs);
    return part ? [`${lane.label}: ${part.words}`] : [];
  });
  const most = told.slice(0, 4).join("; ");
  const more = told.length > 4 ? `; and ${told.length - 4} more` : "";
  return `${stamp(at)}  ${told.length ? most + more : "none of these was sampled"}`;
}
