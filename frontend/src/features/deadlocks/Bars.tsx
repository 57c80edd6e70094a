import { bars } from "./model";

/** How often something happened over the window, as small bars without an axis. */
export const Bars = ({ series, label }: { readonly series: readonly number[]; readonly label: string }) => {
  const [width, height] = [150, 18];
  const each = width / Math.max(1, series.length);
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      <line x2={width} y1={height - 0.5} y2={height - 0.5} stroke="var(--line)" />
      {bars(series).map((share, i) =>
        share ? (
          <rect
            key={i}
            x={i * each}
            y={height - Math.max(2, share * height)}
            width={Math.max(1, each - 1)}
            height={Math.max(2, share * height)}
            fill="var(--ink)"
          />
        ) : null,
      )}
    </svg>
  );
};
