import { line } from "d3-shape";

import { valueTicks } from "./geometry/axis";
import { spreadOut } from "./geometry/labels";
import { type Plot, TimePlot } from "./TimePlot";

export interface NamedLine {
  readonly name: string;
  readonly values: readonly (number | null)[];
}

interface Props {
  readonly title: string;
  readonly starts: readonly number[];
  readonly bucketMs: number;
  readonly start: number;
  readonly end: number;
  readonly lines: readonly NamedLine[];
  readonly now: number;
  readonly say: (value: number) => string;
}

const DASHES = ["", "7 3", "2 3", "9 3 2 3", "4 2", "1 2"] as const;
const MARGIN = { left: 52, right: 210, top: 20 };

const color = (i: number): string => `var(--tone-${i % 6})`;

/** One measure of several servers on one axis. Lines carry their names at their right end; gaps stay open. */
export const ManyLines = ({ title, lines, say, ...rest }: Props) => {
  const told = (cursor: number | null): string =>
    lines
      .map((one) => {
        const value = valueAt(one, cursor);
        return `${one.name} ${value === null ? "not read" : say(value)}`;
      })
      .join(", ");
  return (
    <TimePlot
      {...rest}
      title={title}
      told={told}
      margin={MARGIN}
      apart={100}
      table={() => ({ columns: lines.map((one) => one.name), cells: lines.map((one) => one.values) })}
    >
      {(plot) => (
        <>
          <text x={-MARGIN.left} y={12 - MARGIN.top} fontSize="12" fontWeight="600" fill="var(--ink)">
            {title}
          </text>
          <Drawn plot={plot} lines={lines} say={say} />
        </>
      )}
    </TimePlot>
  );
};

/** At the cursor, else the last one known. */
const valueAt = (one: NamedLine, cursor: number | null): number | null =>
  cursor === null ? (one.values.findLast((v) => v !== null) ?? null) : (one.values[cursor] ?? null);

interface DrawnProps {
  readonly plot: Plot;
  readonly lines: readonly NamedLine[];
  readonly say: (value: number) => string;
}

const Drawn = ({ plot, lines, say }: DrawnProps) => {
  const most = Math.max(...lines.flatMap((one) => one.values.map((v) => v ?? 0)), 0) || 1;
  const y = (v: number): number => plot.height - (v / (most * 1.05)) * plot.height;
  // Names stand beside the ends of their lines, pushed apart where these meet.
  const heights = spreadOut(
    lines.map((one) => y(valueAt(one, plot.cursor) ?? 0)),
    15,
    plot.height + 12,
  );
  return (
    <>
      {valueTicks(most * 1.05, y, 4).map((tick) => (
        <g key={tick.value} fontSize="11" fill="var(--muted)">
          <line x2={plot.width} y1={tick.y} y2={tick.y} stroke="var(--line)" />
          <text x={-6} y={tick.y + 4} textAnchor="end">
            {say(tick.value)}
          </text>
        </g>
      ))}
      {lines.map((one, i) => (
        <path
          key={one.name}
          d={
            line<number | null>()
              .defined((v) => v !== null)
              .x((_, k) => plot.middle(k))
              .y((v) => y(v ?? 0))([...one.values]) ?? ""
          }
          fill="none"
          stroke={color(i)}
          strokeWidth="1.75"
          strokeDasharray={DASHES[i % DASHES.length]}
        />
      ))}
      {plot.cursor === null ? null : (
        <g>
          <line
            x1={plot.middle(plot.cursor)}
            x2={plot.middle(plot.cursor)}
            y2={plot.height}
            stroke="var(--ink)"
            strokeWidth="0.75"
          />
          <text x={plot.middle(plot.cursor) + 4} y={10} fontSize="11" fill="var(--ink)">
            {plot.when}
          </text>
        </g>
      )}
      {lines.map((one, i) => {
        const value = valueAt(one, plot.cursor);
        return (
          <g
            key={one.name}
            transform={`translate(${plot.width + 8} ${heights[i] ?? 0})`}
            fontSize="12"
            fill="var(--ink)"
          >
            <line x2={18} y1={-4} y2={-4} stroke={color(i)} strokeWidth="2" strokeDasharray={DASHES[i % 6]} />
            <text x={23}>
              {one.name.length > 19 ? `${one.name.slice(0, 18)}…` : one.name} {value === null ? "–" : say(value)}
            </text>
          </g>
        );
      })}
    </>
  );
};
