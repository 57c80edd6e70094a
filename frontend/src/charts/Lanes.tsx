import { type KeyboardEvent, type MouseEvent, memo, useCallback, useDeferredValue, useMemo, useState } from "react";

import { stamp } from "../lib/time";
import { duration } from "../lib/units";
import { CellCanvas, CellElements } from "./Cells";
import { ChartFrame } from "./ChartFrame";
import { Gaps, TimeAxis } from "./TimeAxis";
import { LABEL, type LaneLayout, laneLayout, lanePicture, laneSums, partAt, placeOf } from "./geometry/lanes";
import type { Lane } from "./geometry/lanes";
import type { Table } from "../ui/tableFile";
import { useSize } from "./useSize";

interface Props {
  readonly title: string;
  readonly reading: string;
  readonly lanes: readonly Lane[]; // the same array as long as nothing changed, or all is painted again
  readonly from: number;
  readonly to: number;
  readonly tickMs: number;
  readonly now: number;
  readonly at: number | null; // the moment that is looked at
  readonly onMoment: (at: number) => void;
  readonly onLane?: (key: string) => void;
  readonly gaps?: readonly { readonly start: number; readonly end: number }[];
}

const AXIS = 20;

/** A lane per session, time to the right, and from each waiting stretch a line to the lane that held it. */
export const Lanes = ({ title, reading, lanes, from, to, tickMs, now, at, onMoment, onLane, gaps = [] }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const [over, setOver] = useState<number | null>(null);
  const width = Math.max(0, size.width - LABEL - 4);
  const scale = useMemo(() => ({ from, to, width, tickMs }), [from, to, width, tickMs]);
  const layout = useMemo(() => laneLayout(lanes), [lanes]);
  const cells = useCallback(() => lanePicture(lanes, layout, scale), [lanes, layout, scale]);
  const { height } = layout;
  const momentAt = (event: MouseEvent<SVGSVGElement>): number => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left - LABEL;
    return Math.round(from + (Math.max(0, Math.min(width, x)) / Math.max(1, width)) * (to - from));
  };
  const step = (event: KeyboardEvent): void => {
    const moves: Readonly<Record<string, number>> = { ArrowRight: tickMs, ArrowLeft: -tickMs };
    const edge = { Home: from, End: to - 1 }[event.key];
    const next = edge ?? (at ?? from) + (moves[event.key] ?? 0) * (event.shiftKey ? 10 : 1);
    if (edge === undefined && moves[event.key] === undefined) return;
    event.preventDefault();
    onMoment(Math.max(from, Math.min(to - 1, next)));
  };
  const shown = over ?? at;
  return (
    <ChartFrame title={title} reading={reading} table={() => tableOf(lanes, tickMs)}>
      <div ref={ref} className="max-h-[400px] w-full overflow-y-auto pt-4">
        <div className="relative">
          <CellCanvas cells={cells} width={size.width} height={height} />
          <svg
            data-chart=""
            width={size.width}
            height={height + AXIS}
            className="relative block"
            role="application"
            tabIndex={0}
            aria-label={`${title}: arrow keys step through the moments, with Shift ten at a time, Home and End to its ends`}
            onKeyDown={step}
            onMouseMove={(event) => setOver(momentAt(event))}
            onMouseLeave={() => setOver(null)}
            onClick={(event) => onMoment(momentAt(event))}
          >
            <CellElements cells={cells} />
            <Names lanes={lanes} layout={layout} width={size.width} {...(onLane ? { onLane } : {})} />
            <g transform={`translate(${LABEL} 0)`}>
              <Gaps
                gaps={gaps}
                x={(moment) => Math.max(0, Math.min(width, placeOf(moment, scale)))}
                height={height}
                labelY={height / 2}
              />
              {shown === null ? null : (
                <line
                  x1={placeOf(shown, scale)}
                  x2={placeOf(shown, scale)}
                  y2={height}
                  stroke="var(--accent)"
                  strokeDasharray={over === null ? undefined : "3 2"}
                />
              )}
              <TimeAxis from={from} to={to} width={width} y={height} now={now} />
            </g>
          </svg>
        </div>
      </div>
      <p className="text-muted min-h-5 text-sm" aria-live="polite">
        {shown === null ? "Click or use the arrow keys to choose a moment." : readOut(lanes, shown, tickMs)}
      </p>
      <Listed lanes={useDeferredValue(lanes, NONE)} tickMs={tickMs} />
    </ChartFrame>
  );
};

interface NamesProps {
  readonly lanes: readonly Lane[];
  readonly layout: LaneLayout;
  readonly width: number;
  readonly onLane?: (key: string) => void;
}

/** At the left edge of each lane whose it is, with a hairline below it. */
const Names = memo(({ lanes, layout, width, onLane }: NamesProps) =>
  lanes.map((lane, i) => {
    const tall = layout.talls[i] ?? 0;
    return (
      <g key={lane.key} transform={`translate(0 ${layout.tops[i] ?? 0})`}>
        <text
          y={tall / 2 + 4}
          className={`text-xs ${onLane ? "cursor-pointer" : ""} ${lane.root ? "font-semibold" : ""}`}
          fill="var(--ink)"
          onClick={(event) => {
            if (!onLane) return;
            event.stopPropagation();
            onLane(lane.key);
          }}
        >
          <title>{`${lane.label}, pid ${lane.pid}${onLane ? ": see its tape" : ""}`}</title>
          {lane.label.length > 22 ? `${lane.label.slice(0, 21)}…` : lane.label}
          <tspan fill="var(--muted)"> {lane.note}</tspan>
        </text>
        <line x1={LABEL} x2={width} y1={tall - 1} y2={tall - 1} stroke="var(--line)" strokeWidth="0.5" />
      </g>
    );
  }),
);
Names.displayName = "Names";

/** The lanes for those who do not see them: what each did for how long, most first. */
const Listed = memo(({ lanes, tickMs }: { readonly lanes: readonly Lane[]; readonly tickMs: number }) => {
  const lines = useMemo(
    () =>
      lanes.map((lane) => ({
        key: lane.key,
        words: laneSums(lane.parts, tickMs)
          .slice(0, 5)
          .map(([words, ms]) => `${words} ${duration(ms)}`)
          .join(", "),
        name: `${lane.label} ${lane.note}`.trim(),
      })),
    [lanes, tickMs],
  );
  return (
    <ul className="sr-only" aria-label="what each lane holds">
      {lines.map(({ key, name, words }) => (
        <li key={key}>
          {name}: {words || "not sampled"}
        </li>
      ))}
    </ul>
  );
});
Listed.displayName = "Listed";

const NONE: readonly Lane[] = [];

const tableOf = (lanes: readonly Lane[], tickMs: number): Table => ({
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

function readOut(lanes: readonly Lane[], at: number, tickMs: number): string {
  const told = lanes.flatMap((lane) => {
    const part = partAt(lane.parts, at, tickMs);
    return part ? [`${lane.label}: ${part.words}`] : [];
  });
  const most = told.slice(0, 4).join("; ");
  const more = told.length > 4 ? `; and ${told.length - 4} more` : "";
  return `${stamp(at)}  ${told.length ? most + more : "none of these was sampled"}`;
}
