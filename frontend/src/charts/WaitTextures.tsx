import type { Kind } from "./kinds";

interface Texture {
  readonly kind: Kind;
  readonly size: number;
  readonly path: string;
  readonly width: number;
}

// Light strokes over the kind's colour. Locks are the boldest; kinds that seldom matter are the quietest.
const TEXTURES: readonly Texture[] = [
  { kind: "lock", size: 6, path: "M-1 7 7 -1M-1 1 1 -1M5 7 7 5", width: 1.6 },
  { kind: "data_io", size: 5, path: "M0 2.5H5", width: 1 },
  { kind: "commit", size: 5, path: "M2.5 0V5", width: 1 },
  { kind: "engine", size: 5, path: "M1.4 2.5H3.4", width: 1.8 },
  { kind: "other_process", size: 7, path: "M0 3.5H7M3.5 0V7", width: 0.8 },
  { kind: "client", size: 8, path: "M0 8 8 0", width: 0.7 },
  { kind: "sleep", size: 8, path: "M4 3.5V4.5", width: 1.2 },
];

interface Tone {
  readonly size: number;
  readonly path: string;
  readonly width: number;
}

// Values of other dimensions: tones that no wait kind has, largest value first; the last is "others".
const TONES: readonly Tone[] = [
  { size: 6, path: "", width: 0 },
  { size: 7, path: "M0 7 7 0", width: 1.2 },
  { size: 5, path: "M2.5 2.5H3.5", width: 1.4 },
  { size: 6, path: "M0 3H6", width: 1.2 },
  { size: 6, path: "M3 0V6", width: 1.2 },
  { size: 7, path: "M0 0 7 7", width: 1.2 },
  { size: 7, path: "M0 3.5H7M3.5 0V7", width: 0.7 },
];

/** Patterns for all kinds, once per page; marks refer to them by id. */
export const WaitTextures = () => (
  <svg width="0" height="0" className="absolute" aria-hidden="true" data-textures>
    <defs>
      {TEXTURES.map(({ kind, size, path, width }) => (
        <pattern key={kind} id={`kind-${kind}`} width={size} height={size} patternUnits="userSpaceOnUse">
          <rect width={size} height={size} fill={`var(--${kind})`} />
          <path d={path} stroke="var(--ground)" strokeOpacity="0.55" strokeWidth={width} />
        </pattern>
      ))}
      {TONES.map(({ size, path, width }, i) => (
        <pattern key={i} id={`group-${i}`} width={size} height={size} patternUnits="userSpaceOnUse">
          <rect width={size} height={size} fill={`var(--tone-${i})`} />
          <path d={path} stroke="var(--ground)" strokeOpacity="0.6" strokeWidth={width} />
        </pattern>
      ))}
      <pattern id="over-cores" width="5" height="5" patternUnits="userSpaceOnUse">
        <rect width="5" height="5" fill="var(--ground)" />
        <path d="M-1 6 6 -1M-1 1 1 -1M4 6 6 4" stroke="var(--running)" strokeWidth="2" />
      </pattern>
    </defs>
  </svg>
);
