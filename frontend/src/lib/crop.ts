// Part of a series that is already here, shown at once while the finer one is fetched.

interface Series {
  readonly start: number;
  readonly end: number;
  readonly bucket_ms: number;
  readonly starts: readonly number[];
  readonly ticks: readonly number[];
  readonly groups: readonly {
    readonly sessions: readonly (number | null)[];
    readonly running?: readonly (number | null)[] | null;
  }[];
  readonly usual?: { readonly running: Band; readonly waiting: Band } | null;
}

type Row = readonly (number | null)[];
interface Band {
  readonly low: Row;
  readonly middle: Row;
  readonly high: Row;
}

/** The buckets that touch [from, to); null when the series does not hold all of that span. */
export function crop<T extends Series>(series: T, from: number, to: number): T | null {
  if (from < series.start || to > series.end) return null;
  const first = series.starts.findIndex((start) => start + series.bucket_ms > from);
  const beyond = series.starts.findIndex((start) => start >= to);
  const part = <V>(values: readonly V[]): V[] => values.slice(Math.max(0, first), beyond < 0 ? undefined : beyond);
  const band = ({ low, middle, high }: Band): Band => ({ low: part(low), middle: part(middle), high: part(high) });
  const usual = series.usual && {
    ...series.usual,
    running: band(series.usual.running),
    waiting: band(series.usual.waiting),
  };
  return {
    ...series,
    ...(usual ? { usual } : {}),
    start: from,
    end: to,
    starts: part(series.starts),
    ticks: part(series.ticks),
    groups: series.groups.map((group) => ({
      ...group,
      sessions: part(group.sessions),
      ...(group.running ? { running: part(group.running) } : {}),
    })),
  };
}
