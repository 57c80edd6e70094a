import { TEXTURES } from "./textures";

/** All patterns, once per page; marks refer to them by id. */
export const WaitTextures = () => (
  <svg width="0" height="0" className="absolute" aria-hidden="true" data-textures>
    <defs>
      {TEXTURES.map(({ id, size, ground, path, stroke, strokeOpacity, strokeWidth }) => (
        <pattern key={id} id={id} width={size} height={size} patternUnits="userSpaceOnUse">
          <rect width={size} height={size} fill={ground} />
          <path d={path} stroke={stroke} strokeOpacity={strokeOpacity} strokeWidth={strokeWidth} />
        </pattern>
      ))}
    </defs>
  </svg>
);
