import { useQuery } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";
import { marksQuery } from "../../api/queries";
import { windowQuery } from "../../api/window";

export const [SMALL, LOW] = [120, 22]; // pixels

export interface Span {
  readonly from: number;
  readonly to: number;
}

interface Props {
  readonly server: number;
  readonly span: Span;
}

type Episode = Pick<Schemas["EpisodeOut"], "start" | "end" | "pid" | "waiters" | "most">;

const MOST_LANES = 4;
const LANE = LOW / MOST_LANES;

/** Who blocked others, a lane each, the one that cost most on top; the more stood behind it, the thicker. */
export function lanesOf(episodes: readonly Episode[], { from, to }: Span) {
  const roots = [...new Set(episodes.map((one) => one.pid))].slice(0, MOST_LANES);
  const most = Math.max(1, ...episodes.map((one) => one.most));
  return episodes
    .filter((one) => roots.includes(one.pid))
    .map((one) => {
      const height = Math.max(1, (LANE - 1) * (one.most / most));
      const x = (SMALL * (Math.max(one.start, from) - from)) / (to - from);
      const width = Math.max(1, (SMALL * (Math.min(one.end, to) - from)) / (to - from) - x);
      return { x, y: LANE * roots.indexOf(one.pid) + (LANE - height) / 2, width, height };
    });
}

export const SmallLanes = ({ server, span }: Props) => {
  const found = useQuery({
    queryKey: ["leads", server, "lanes", span],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/blocking", {
          params: { path: { server_id: server }, query: { ...windowQuery(span), pick: [] } },
          signal,
        }),
      ),
  });
  const lanes = lanesOf(found.data?.episodes ?? [], span);
  return lanes.length === 0 ? null : (
    <svg width={SMALL} height={LOW} role="img" aria-label="who blocked others, over the window">
      {lanes.map(({ x, y, width, height }, i) => (
        <rect key={i} x={x} y={y} width={width} height={height} fill="var(--lock)" />
      ))}
      <line x2={SMALL} y1={LOW - 0.5} y2={LOW - 0.5} stroke="var(--line)" />
    </svg>
  );
};

interface TicksProps extends Props {
  readonly kinds: readonly string[];
  readonly label: string;
}

/** When something happened: a stroke for each. */
export const SmallTicks = ({ server, span, kinds, label }: TicksProps) => {
  const found = useQuery(marksQuery(server, span));
  const moments = (found.data ?? []).filter((one) => kinds.includes(one.kind)).map((one) => one.at);
  return moments.length === 0 ? null : (
    <svg width={SMALL} height={LOW} role="img" aria-label={`${label}, over the window: ${moments.length}`}>
      {moments.map((at, i) => {
        const x = (SMALL * (at - span.from)) / (span.to - span.from);
        return <line key={i} x1={x} x2={x} y1={4} y2={LOW} stroke="var(--lock)" strokeWidth="1.5" />;
      })}
      <line x2={SMALL} y1={LOW - 0.5} y2={LOW - 0.5} stroke="var(--line)" />
    </svg>
  );
};

/** A figure over the window as a line, gaps left open; "" where nothing is known. */
export function lineOf(values: readonly (number | null)[]): string {
  const most = Math.max(...values.map((value) => value ?? 0));
  if (most <= 0) return "";
  let pen = "M";
  return values
    .map((value, i) => {
      if (value === null) {
        pen = "M";
        return "";
      }
      const point = `${pen}${(SMALL * (i + 0.5)) / values.length} ${LOW - 1 - (LOW - 4) * (value / most)}`;
      pen = "L";
      return point;
    })
    .join("");
}

/** How long a request to the disk took. */
export const SmallDisk = ({ server, span }: Props) => {
  const found = useQuery({
    queryKey: ["leads", server, "disk", span],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/machine", {
          params: { path: { server_id: server }, query: windowQuery(span) },
          signal,
        }),
      ),
  });
  const line = lineOf(found.data?.series["disk_latency_ms"] ?? []);
  return line === "" ? null : (
    <svg width={SMALL} height={LOW} role="img" aria-label="time of a disk request, over the window">
      <path d={line} fill="none" stroke="var(--data_io)" strokeWidth="1.5" />
      <line x2={SMALL} y1={LOW - 0.5} y2={LOW - 0.5} stroke="var(--line)" />
    </svg>
  );
};
