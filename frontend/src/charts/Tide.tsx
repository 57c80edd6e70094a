interface Props {
  readonly values: readonly (number | null)[];
  readonly usual: number | null; // the line: what is usual; what exceeds it stands above, what falls short hangs below
  readonly width: number;
  readonly height: number;
}

const LEAST = 0.5; // of the usual: a smaller difference is drawn as small as it is

/** A figure over time against what is usual, for lists: above the line is more than usual, below it is less. */
export const Tide = ({ values, usual, width, height }: Props) => {
  const line = usual ?? 0;
  const known = values.flatMap((v) => (v === null ? [] : [v - line]));
  const [low, high] = [Math.min(0, ...known), Math.max(0, ...known)];
  const scale = height / (Math.max(high - low, line * LEAST) || 1);
  const zero = (height + (high + low) * scale) / 2; // in the middle where the differences are small
  const cell = width / Math.max(1, values.length);
  const bar = (v: number, i: number): string => {
    const y = zero - (v - line) * scale;
    return `M${(i * cell).toFixed(1)} ${zero.toFixed(1)}V${y.toFixed(1)}h${cell.toFixed(1)}V${zero.toFixed(1)}Z`;
  };
  const side = (more: boolean): string =>
    values.map((v, i) => (v === null || v === line || v > line !== more ? "" : bar(v, i))).join("");
  return (
    <svg width={width} height={height} aria-hidden="true" className="overflow-visible">
      <path d={side(true)} fill="var(--running)" />
      <path d={side(false)} fill="var(--strong)" opacity="0.55" />
      <line x2={width} y1={zero} y2={zero} stroke="var(--strong)" strokeWidth="0.75" />
    </svg>
  );
};
