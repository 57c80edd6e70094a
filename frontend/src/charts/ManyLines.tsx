import { line } from "d3-shape";

import { stamp } from "../lib/time";
import { ChartFrame } from "./ChartFrame";
import { timeTicks, valueTicks } from "./geometry/axis";
import { spreadOut } from "./geometry/labels";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

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
const LEFT = 52;
const RIGHT = 210;

const color = (i: number): string => `var(--tone-${i % 6})`;

/** One measure of several servers on one axis. Lines carry their names at their right end; gaps stay open. */
export const ManyLines = ({ title, starts, bucketMs, start, end, lines, now, say }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const { cursor, point, keys } = useCursor(starts.length);
  const plot = { width: Math.max(10, size.width - LEFT - RIGHT), height: Math.max(10, size.height - 40) };
  const most = Math.max(...lines.flatMap((one) => one.values.map((v) => v ?? 0)), 0) || 1;
  const x = (i: number): number => (((starts[i] ?? start) + bucketMs / 2 - start) / (end - start)) * plot.width;
  const y = (v: number): number => plot.height - (v / (most * 1.05)) * plot.height;
  const at = cursor ?? starts.length - 1;
  const shown = (one: NamedLine): number | null =>
    cursor === null ? (one.values.findLast((v) => v !== null) ?? null) : (one.values[at] ?? null);
  // Names stand beside the ends of their lines, pushed apart where these meet.
  const heights = spreadOut(
    lines.map((one) => y(shown(one) ?? 0)),
    15,
    plot.height + 12,
  );
  const ends = lines.map((one, i) => ({ i, name: one.name, value: shown(one), y: heights[i] ?? 0 }));
  const reading = lines
    .map((one) => `${one.name} ${shown(one) === null ? "not read" : say(shown(one) ?? 0)}`)
    .join(", ");
  return (
    <ChartFrame
      title={title}
      reading={reading}
      className="h-full"
      table={() => ({
        columns: ["from", ...lines.map((one) => one.name)],
        rows: starts.map((s, i) => [new Date(s).toISOString(), ...lines.map((one) => one.values[i] ?? null)]),
      })}
    >
      <div ref={ref} className="h-full">
        <svg
          data-chart
          width={size.width}
          height={size.height}
          className="block"
          aria-label={`${title}: ${reading}`}
          {...keys}
          onPointerMove={(event) => {
            const px = event.clientX - event.currentTarget.getBoundingClientRect().left - LEFT;
            const moment = start + (px / plot.width) * (end - start);
            const cell = Math.floor((moment - (starts[0] ?? start)) / bucketMs);
            point(cell >= 0 && cell < starts.length ? cell : null);
          }}
        >
          <text y={12} fontSize="12" fontWeight="600" fill="var(--ink)">
            {title}
          </text>
          <g transform={`translate(${LEFT} 20)`}>
            {valueTicks(most * 1.05, y, 4).map((tick) => (
              <g key={tick.value} fontSize="11" fill="var(--muted)">
                <line x2={plot.width} y1={tick.y} y2={tick.y} stroke="var(--line)" />
                <text x={-6} y={tick.y + 4} textAnchor="end">
                  {say(tick.value)}
                </text>
              </g>
            ))}
            {timeTicks(start, end, plot.width, now, 100).map((tick) => (
              <text key={tick.at} x={tick.x + 3} y={plot.height + 14} fontSize="11" fill="var(--muted)">
                {tick.label}
              </text>
            ))}
            <line x2={plot.width} y1={plot.height} y2={plot.height} stroke="var(--strong)" />
            {lines.map((one, i) => (
              <path
                key={one.name}
                d={
                  line<number | null>()
                    .defined((v) => v !== null)
                    .x((_, k) => x(k))
                    .y((v) => y(v ?? 0))([...one.values]) ?? ""
                }
                fill="none"
                stroke={color(i)}
                strokeWidth="1.75"
                strokeDasharray={DASHES[i % DASHES.length]}
              />
            ))}
            {cursor === null ? null : (
              <g>
                <line x1={x(at)} x2={x(at)} y2={plot.height} stroke="var(--ink)" strokeWidth="0.75" />
                <text x={x(at) + 4} y={10} fontSize="11" fill="var(--ink)">
                  {stamp(starts[at] ?? start)}
                </text>
              </g>
            )}
            {ends.map(({ i, name, value, y: top }) => (
              <g key={name} transform={`translate(${plot.width + 8} ${top})`} fontSize="12" fill="var(--ink)">
                <line x2={18} y1={-4} y2={-4} stroke={color(i)} strokeWidth="2" strokeDasharray={DASHES[i % 6]} />
                <text x={23}>
                  {name.length > 19 ? `${name.slice(0, 18)}…` : name} {value === null ? "–" : say(value)}
                </text>
              </g>
            ))}
          </g>
        </svg>
        <p aria-live="polite" className="sr-only">
          {cursor === null ? "" : `${stamp(starts[at] ?? start)}: ${reading}`}
        </p>
      </div>
    </ChartFrame>
  );
};
