import { type Track, trackPaths } from "./geometry/tracks";
import { TimePlot } from "./TimePlot";

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
export const Tracks = ({ title, tracks, starts, left = 34, ...rest }: Props) => {
  const words = (track: Track, cursor: number | null): string =>
    track.parts
      .map(({ label, values }) => {
        const value = cursor === null ? (values.findLast((v) => v !== null) ?? null) : (values[cursor] ?? null);
        return `${label} ${value === null ? "not read" : track.say(value)}`;
      })
      .join(", ");
  const parts = tracks.flatMap((track) => track.parts);
  return (
    <TimePlot
      {...rest}
      title={title}
      starts={starts}
      told={(cursor) => tracks.map((track) => words(track, cursor)).join("; ")}
      margin={{ left, top: 0 }}
      height={ROW * tracks.length + 18}
      apart={110}
      table={() => ({ columns: parts.map(({ label }) => label), cells: parts.map(({ values }) => values) })}
    >
      {({ width, height, x, middle, cursor, when }) => (
        <>
          {tracks.map((track, row) => (
            <g key={track.name} transform={`translate(0 ${ROW * row})`}>
              {trackPaths(track, starts, rest.bucketMs, x, ROW - 16).map((path, i) => (
                <path key={i} d={path} transform="translate(0 14)" fill={track.parts[i]?.fill} />
              ))}
              <line x2={width} y1={ROW - 2} y2={ROW - 2} stroke="var(--line)" />
              <text y={11} fontSize="11" fill="var(--ink)">
                {track.name}
              </text>
              <text x={width - 26} y={11} fontSize="11" textAnchor="end" fill="var(--muted)">
                {when ? `${when}  ` : ""}
                {words(track, cursor)}
              </text>
            </g>
          ))}
          {cursor === null ? null : (
            <line x1={middle(cursor)} x2={middle(cursor)} y2={height} stroke="var(--ink)" strokeWidth="0.75" />
          )}
        </>
      )}
    </TimePlot>
  );
};
