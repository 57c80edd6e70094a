import type { ReactNode } from "react";

import { stamp } from "../lib/time";
import { ChartFrame } from "./ChartFrame";
import { TimeAxis } from "./TimeAxis";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

/** Where a chart may draw, and what of it is read out. */
export interface Plot {
  readonly width: number; // pixels, from the left edge of the time axis to its right
  readonly height: number;
  readonly whole: number; // the width with the margins, pixels
  readonly x: (at: number) => number; // of a moment; held inside the plot
  readonly middle: (cell: number) => number; // x of the middle of a cell
  readonly cursor: number | null; // the cell that is read out
  readonly when: string; // its moment in words; empty without one
}

interface Props {
  readonly title: string;
  readonly starts: readonly number[]; // of cells, each `bucketMs` long
  readonly bucketMs: number;
  readonly start: number;
  readonly end: number;
  readonly now: number;
  /** What is told of a cell, or of the last figures without one. */
  readonly told: (cursor: number | null) => string;
  readonly table: () => { readonly columns: readonly string[]; readonly cells: readonly Cells[] }; // a column a row of cells
  readonly margin: { readonly left?: number; readonly right?: number; readonly top: number };
  readonly height?: number; // of the whole, pixels; without it as high as there is room
  readonly apart?: number; // least pixels between two moments of the axis
  readonly children: (plot: Plot) => ReactNode;
}

type Cells = readonly (number | null)[];

const AXIS = 18;

/** Figures over time in one frame: name, time axis, cursor by pointer and by key, read-out, table and files. */
export const TimePlot = (props: Props) => {
  const { title, starts, bucketMs, start, end, now, told, margin, children } = props;
  const [ref, size] = useSize<HTMLDivElement>();
  const { cursor, point, keys } = useCursor(starts.length);
  const { left = 0, right = 0, top } = margin;
  const whole = { width: size.width, height: props.height ?? size.height };
  const width = Math.max(10, whole.width - left - right);
  const height = Math.max(10, whole.height - top - AXIS);
  const x = (at: number): number => Math.min(width, Math.max(0, ((at - start) / (end - start)) * width));
  const when = cursor === null ? "" : stamp(starts[cursor] ?? start);
  const reading = told(null);
  return (
    <ChartFrame
      title={title}
      reading={reading}
      className={props.height === undefined ? "h-full" : ""}
      table={() => {
        const { columns, cells } = props.table();
        return {
          columns: ["from", ...columns],
          rows: starts.map((s, i) => [new Date(s).toISOString(), ...cells.map((row) => row[i] ?? null)]),
        };
      }}
    >
      <div ref={ref} className="h-full" style={props.height === undefined ? undefined : { height: props.height }}>
        <svg
          data-chart
          width={whole.width}
          height={whole.height}
          className="block"
          aria-label={`${title}: ${reading}`}
          {...keys}
          onPointerMove={(event) => {
            const px = event.clientX - event.currentTarget.getBoundingClientRect().left - left;
            const cell = Math.floor((start + (px / width) * (end - start) - (starts[0] ?? start)) / bucketMs);
            point(cell >= 0 && cell < starts.length ? cell : null);
          }}
        >
          <g transform={`translate(${left} ${top})`}>
            <line x2={width} y1={height} y2={height} stroke="var(--strong)" />
            <TimeAxis from={start} to={end} width={width} y={height} now={now} apart={props.apart ?? 90} />
            {children({
              ...{ width, height, whole: whole.width, x, cursor, when },
              middle: (cell) => x((starts[cell] ?? start) + bucketMs / 2),
            })}
          </g>
        </svg>
        <p aria-live="polite" className="sr-only">
          {cursor === null ? "" : `${when}: ${told(cursor)}`}
        </p>
      </div>
    </ChartFrame>
  );
};
