import { line } from "d3-shape";

import { stamp } from "../lib/time";
import { ChartFrame } from "./ChartFrame";
import { timeTicks } from "./geometry/axis";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

interface Props {
  readonly title: string;
  readonly starts: readonly number[];
  readonly bucketMs: number;
  readonly start: number;
  readonly end: number;
  readonly values: readonly (number | null)[];
  readonly now: number;
  readonly say: (value: number) => string;
  readonly usual?: readonly (number | null)[];
  readonly marks?: readonly { readonly at: number; readonly label: string }[];
}

/** One measure over time. Gaps stay open; a single point between gaps is a dot. */
export const Lines = ({ title, starts, bucketMs, start, end, values, now, say, usual = [], marks = [] }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const { cursor, point, keys } = useCursor(starts.length);
  const height = Math.max(10, size.height - 32);
  const known = values.filter((v): v is number => v !== null);
  const most = Math.max(...known, 0);
  const scale = Math.max(most, ...usual.map((v) => v ?? 0)) || 1; // a measure that is zero throughout lies on the line
  const x = (i: number): number => (((starts[i] ?? start) + bucketMs / 2 - start) / (end - start)) * size.width;
  const y = (v: number): number => 16 + height - (v / scale) * (height - 4);
  const path = line<number | null>()
    .defined((v) => v !== null)
    .x((_, i) => x(i))
    .y((v) => y(v ?? 0))([...values]);
  const usualPath = line<number | null>()
    .defined((v) => v !== null)
    .x((_, i) => x(i))
    .y((v) => y(v ?? 0))([...usual]);
  const last = values.findLast((v) => v !== null) ?? null;
  const shown = cursor === null ? last : (values[cursor] ?? null);
  const reading = last === null ? "not counted in this window" : `last ${say(last)}, most ${say(most)}`;
  return (
    <ChartFrame
      title={title}
      reading={reading}
      className="h-full"
      table={() => ({
        columns: usual.length ? ["from", title, "usual"] : ["from", title],
        rows: starts.map((s, i) => [
          new Date(s).toISOString(),
          values[i] ?? null,
          ...(usual.length ? [usual[i] ?? null] : []),
        ]),
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
            const px = event.clientX - event.currentTarget.getBoundingClientRect().left;
            const at = start + (px / size.width) * (end - start);
            point(Math.max(0, Math.min(starts.length - 1, Math.floor((at - (starts[0] ?? start)) / bucketMs))));
          }}
        >
          <text y={11} fontSize="12" fontWeight="600" fill="var(--ink)">
            {title}
          </text>
          <text x={size.width - 24} y={11} fontSize="12" textAnchor="end" fill="var(--muted)">
            {cursor === null ? "" : `${stamp(starts[cursor] ?? start)}  `}
            {shown === null ? "not counted" : say(shown)}
            {cursor === null && known.length > 1 ? `, most ${say(most)}` : ""}
            {cursor !== null && (usual[cursor] ?? null) !== null ? `, usual ${say(usual[cursor] ?? 0)}` : ""}
          </text>
          <line x2={size.width} y1={16 + height} y2={16 + height} stroke="var(--strong)" />
          {timeTicks(start, end, size.width, now, 80).map((tick) => (
            <text key={tick.at} x={tick.x + 2} y={size.height - 4} fontSize="10" fill="var(--muted)">
              {tick.label}
            </text>
          ))}
          {usualPath ? (
            <path d={usualPath} fill="none" stroke="var(--muted)" strokeDasharray="4 3">
              <title>usual at this hour</title>
            </path>
          ) : null}
          {marks.map((mark) => (
            <line
              key={mark.at}
              x1={((mark.at - start) / (end - start)) * size.width}
              x2={((mark.at - start) / (end - start)) * size.width}
              y1={16}
              y2={16 + height}
              stroke="var(--danger)"
              strokeDasharray="3 2"
            >
              <title>{mark.label}</title>
            </line>
          ))}
          <path d={path ?? ""} fill="none" stroke="var(--running)" strokeWidth="1.5" />
          {values.map((v, i) =>
            v !== null && (values[i - 1] ?? null) === null && (values[i + 1] ?? null) === null ? (
              <circle key={i} cx={x(i)} cy={y(v)} r="2" fill="var(--running)" />
            ) : null,
          )}
          {cursor !== null && shown !== null ? <circle cx={x(cursor)} cy={y(shown)} r="3" fill="var(--ink)" /> : null}
        </svg>
        <p aria-live="polite" className="sr-only">
          {cursor === null ? "" : `${stamp(starts[cursor] ?? start)} ${shown === null ? "not counted" : say(shown)}`}
        </p>
      </div>
    </ChartFrame>
  );
};
