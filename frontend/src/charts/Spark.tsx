interface Props {
  readonly running: readonly (number | null)[];
  readonly waiting: readonly (number | null)[];
  readonly width: number;
  readonly height: number;
  readonly most: number; // sessions that fill half the height; shared by all rows of a list
  readonly label: string;
}

/** A small waterline without axes, for lists. */
export const Spark = ({ running, waiting, width, height, most, label }: Props) => {
  const step = width / Math.max(1, running.length);
  const half = height / 2;
  const tall = (value: number): number => Math.min(half, (value / Math.max(most, 0.1)) * half);
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      {running.map((value, i) =>
        value === null ? null : (
          <rect
            key={i}
            x={i * step}
            y={half - tall(value)}
            width={step * 0.85}
            height={tall(value)}
            fill="var(--running)"
          />
        ),
      )}
      {waiting.map((value, i) =>
        value === null ? null : (
          <rect key={i} x={i * step} y={half} width={step * 0.85} height={tall(value)} fill="var(--lock)" />
        ),
      )}
      <line x2={width} y1={half} y2={half} stroke="var(--strong)" strokeWidth="0.75" />
    </svg>
  );
};
