import { createContext, useContext } from "react";

import { timeTicks } from "./geometry/axis";

interface Props {
  readonly from: number;
  readonly to: number;
  readonly width: number; // of the plot, pixels
  readonly y: number; // where the plot ends below
  readonly now: number;
  readonly apart?: number;
}

/** Moments under a plot, each with a small line at its place, and what changed meanwhile. Stands where the plot's left edge is. */
export const TimeAxis = ({ from, to, width, y, now, apart = 90 }: Props) => (
  <g fontSize="11" fill="var(--muted)">
    <Changed from={from} to={to} width={width} y={y} />
    {timeTicks(from, to, width, now, apart).map(({ at, x, label }) => (
      <g key={at}>
        <line x1={x} x2={x} y1={y} y2={y + 4} stroke="var(--strong)" />
        <text x={x + 3} y={y + 13}>
          {label}
        </text>
      </g>
    ))}
  </g>
);

export interface Change {
  readonly at: number;
  readonly detail: string;
}

/** What changed on the server whose charts are drawn; charts of no server have none. */
export const Changes = createContext<readonly Change[]>([]);

/** A small pointer on the axis for each change, or for several where they would cover each other. */
const Changed = ({ from, to, width, y }: Pick<Props, "from" | "to" | "width" | "y">) => {
  const places: { x: number; details: string[] }[] = [];
  for (const { at, detail } of useContext(Changes).filter((one) => one.at >= from && one.at < to)) {
    const x = ((at - from) / (to - from)) * width;
    const near = places.find((one) => Math.abs(one.x - x) < POINTER);
    if (near) near.details.push(detail);
    else places.push({ x, details: [detail] });
  }
  return places.map(({ x, details }) => (
    <path
      key={x}
      data-change
      d={`M${x - POINTER / 2} ${y}h${POINTER}l${-POINTER / 2} ${-POINTER}z`}
      fill="var(--ink)"
      stroke="var(--ground)"
    >
      <title>{`changed: ${details.join("; ")}`}</title>
    </path>
  ));
};

const POINTER = 8; // pixels

interface Span {
  readonly start: number;
  readonly end: number;
}

interface GapsProps {
  readonly gaps: readonly Span[];
  readonly x: (at: number) => number; // inside the plot
  readonly height: number;
  readonly labelY: number;
}

/** Times of which nothing is known: they hide what is drawn there, and say so where there is room. */
export const Gaps = ({ gaps, x, height, labelY }: GapsProps) =>
  gaps.map((gap) => {
    const [x0, x1] = [x(gap.start), x(gap.end)];
    return (
      <g key={gap.start} data-gap>
        <title>not sampled</title>
        <rect
          x={x0}
          width={Math.max(1, x1 - x0)}
          height={height}
          fill="var(--ground)"
          stroke="var(--line)"
          strokeDasharray="2 3"
        />
        {x1 - x0 > 70 ? (
          <text x={(x0 + x1) / 2} y={labelY} textAnchor="middle" fontSize="11" fill="var(--muted)">
            not sampled
          </text>
        ) : null}
      </g>
    );
  });

export interface Mark {
  readonly at: number;
  readonly label: string;
}

interface MarksProps {
  readonly marks: readonly Mark[];
  readonly x: (at: number) => number;
  readonly height: number;
  readonly named?: boolean; // the label beside the line, and not only when it is pointed at
}

/** Moments at which something happened, as lines over the whole height. */
export const Marks = ({ marks, x, height, named = false }: MarksProps) =>
  marks.map((mark) => (
    <g key={`${mark.at}${mark.label}`}>
      <line x1={x(mark.at)} x2={x(mark.at)} y2={height} stroke="var(--danger)" strokeDasharray="3 2">
        {named ? null : <title>{mark.label}</title>}
      </line>
      {named ? (
        <text x={x(mark.at) + 3} y={10} fontSize="10" fill="var(--danger)">
          {mark.label}
        </text>
      ) : null}
    </g>
  ));
