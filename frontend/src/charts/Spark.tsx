import { type LoadLike, waterline } from "./geometry/waterline";

interface Props {
  readonly load: LoadLike;
  readonly width: number; // in pixels
  readonly height: number;
  readonly label: string;
}

/** A small waterline without axes, for lists. */
export const Spark = ({ load, width, height, label }: Props) => {
  const shape = waterline(load, { width, height }, null);
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      {shape.layers.map(({ key, fill, path }) => (
        <path key={key} d={path} fill={fill} />
      ))}
      <line x2={width} y1={shape.line} y2={shape.line} stroke="var(--strong)" strokeWidth="0.75" />
    </svg>
  );
};
