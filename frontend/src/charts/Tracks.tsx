import { stamp } from "../lib/time";
import { ChartFrame } from "./ChartFrame";
import { timeTicks } from "./geometry/axis";
import { type Track, trackPaths } from "./geometry/tracks";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

interface Props {
  readonly title: string;
  readonly starts: readonly number[];
  readonly bucketMs: number;
  readonly start: number;
  readonly end: number;
  readonly tracks: readonly Track[];
  readonly now: number;
  readonly left?: number; // pixels before the time axis begins, so that it lies under another chart's
}

const ROW = 44;

/** Measures one under the other on the same time axis, each with its own scale, its name and the figure at the pointer. */
export const Tracks = ({ title, starts, bucketMs, start, end, tracks, now, left = 34 }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const { cursor, point, keys } = useCursor(starts.length);
  const width = Math.max(10, size.width - left);
  const x = (at: number): number => Math.min(width, Math.max(0, ((at - start) / (end - start)) * width));
  const last = (row: readonly (number | null)[]): number | null =>
    cursor === null ? (row.findLast((v) => v !== null) ?? null) : (row[cursor] ?? null);
  const words = (track: Track): string =>
    track.parts
      .map(({ label, values }) => {
        const value = last(values);
        return `${label} ${value === null ? "not read" : track.say(value)}`;
      })
      .join(", ");
  const reading = tracks.map(words).join("; ");
  const height = ROW * tracks.length + 18;
  return (
    <ChartFrame
      title={title}
      reading={reading}
      table={() => ({
        columns: ["from", ...tracks.flatMap((t) => t.parts.map(({ label }) => label))],
        rows: starts.map((s, i) => [
          new Date(s).toISOString(),
          ...tracks.flatMap((t) => t.parts.map(({ values }) => values[i] ?? null)),
        ]),
      })}
    >
      <div ref={ref} style={{ height }}>
        <svg
          data-chart
          width={size.width}
          height={height}
          className="block"
          aria-label={`${title}: ${reading}`}
          {...keys}
          onPointerMove={(event) => {
            const px = event.clientX - event.currentTarget.getBoundingClientRect().left - left;
            const cell = Math.floor((start + (px / width) * (end - start) - (starts[0] ?? start)) / bucketMs);
            point(cell >= 0 && cell < starts.length ? cell : null);
          }}
        >
          {tracks.map((track, row) => (
            <g key={track.name} transform={`translate(${left} ${ROW * row})`}>
              {trackPaths(track, starts, bucketMs, x, ROW - 16).map((path, i) => (
                <path key={i} d={path} transform="translate(0 14)" fill={track.parts[i]?.fill} />
              ))}
              <line x2={width} y1={ROW - 2} y2={ROW - 2} stroke="var(--line)" />
              <text y={11} fontSize="11" fill="var(--ink)">
                {track.name}
              </text>
              <text x={width - 26} y={11} fontSize="11" textAnchor="end" fill="var(--muted)">
                {cursor === null ? "" : `${stamp(starts[cursor] ?? start)}  `}
                {words(track)}
              </text>
            </g>
          ))}
          {cursor === null ? null : (
            <line
              x1={left + x((starts[cursor] ?? start) + bucketMs / 2)}
              x2={left + x((starts[cursor] ?? start) + bucketMs / 2)}
              y2={height - 18}
              stroke="var(--ink)"
              strokeWidth="0.75"
            />
          )}
          {timeTicks(start, end, width, now, 110).map((tick) => (
            <text key={tick.at} x={left + tick.x + 3} y={height - 4} fontSize="11" fill="var(--muted)">
              {tick.label}
            </text>
          ))}
        </svg>
        <p aria-live="polite" className="sr-only">
          {cursor === null ? "" : `${stamp(starts[cursor] ?? start)}: ${reading}`}
        </p>
      </div>
    </ChartFrame>
  );
};
