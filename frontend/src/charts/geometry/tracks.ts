// Measures as steps on a shared time axis, parts of one measure stacked.

export interface TrackPart {
  readonly label: string;
  readonly fill: string;
  readonly values: readonly (number | null)[];
}

export interface Track {
  readonly name: string;
  readonly parts: readonly TrackPart[];
  readonly say: (value: number) => string;
  readonly most?: number; // the value at the top edge; the largest sum when not given
}

/** One path a part: a box a bucket, stacked, nothing where nothing was read. */
export function trackPaths(
  track: Track,
  starts: readonly number[],
  bucketMs: number,
  x: (at: number) => number,
  height: number,
): string[] {
  const sums = starts.map((_, i) => track.parts.reduce((sum, part) => sum + (part.values[i] ?? 0), 0));
  const most = track.most ?? (Math.max(...sums, 0) || 1);
  const y = (value: number): number => height - Math.min(1, value / most) * height;
  const below = starts.map(() => 0);
  return track.parts.map(({ values }) =>
    starts
      .map((start, i) => {
        const value = values[i] ?? null;
        if (value === null) return "";
        const low = below[i] ?? 0;
        below[i] = low + value;
        const [left, right] = [x(start), x(start + bucketMs)];
        if (right <= left || value <= 0) return "";
        return `M${left.toFixed(1)} ${y(low + value).toFixed(1)}H${right.toFixed(1)}V${y(low).toFixed(1)}H${left.toFixed(1)}Z`;
      })
      .join(""),
  );
}
