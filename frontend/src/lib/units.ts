// Figures as people say them: three significant digits, the unit always there, no more precision than there is.

/** Sessions: three significant digits, at most two behind the point. */
export function sessions(value: number): string {
  if (value > 0 && value < 0.005) return "<0.01";
  if (value >= 100) return value.toFixed(0);
  return value >= 10 ? value.toFixed(1) : value.toFixed(2);
}

/** A share (0..1) with the half-width of its 95% interval: "88 ±6%"; below one percent of margin just "88%". */
export function share(value: number, margin = 0): string {
  const percent = value * 100;
  const off = margin * 100;
  if (percent > 0 && percent < 0.5 && off < 1) return "<1%";
  if (off < 1) return `${percent.toFixed(0)}%`;
  // With a margin of ten points or more, units would only pretend.
  const step = off >= 10 ? 5 : 1;
  return `${(Math.round(percent / step) * step).toFixed(0)} ±${Math.ceil(off).toFixed(0)}%`;
}

const UNITS: readonly (readonly [number, string])[] = [
  [86_400_000, "d"],
  [3_600_000, "h"],
  [60_000, "min"],
  [1000, "s"],
];

/** A duration in milliseconds: "3 min 20 s", "1.25 s", "480 ms", "0.45 ms", "12 µs". */
export function duration(given: number): string {
  if (given < 0) return `−${duration(-given)}`;
  let ms = given;
  if (ms === 0) return "0 ms";
  if (ms < 0.1) return `${Number((ms * 1000).toPrecision(2))} µs`;
  if (ms < 1) return `${Number(ms.toPrecision(2))} ms`;
  if (ms < 999.5) return `${Number(ms.toPrecision(3))} ms`;
  if (ms < 59_950) return `${Number((ms / 1000).toPrecision(3))} s`;
  ms = Math.max(ms, 60_000);
  const large = UNITS.findIndex(([size]) => ms >= size);
  const [size, word] = UNITS[large] ?? [60_000, "min"];
  const [next, nextWord] = UNITS[large + 1] ?? [1000, "s"];
  const whole = Math.floor(ms / size);
  const rest = Math.floor((ms % size) / next);
  return rest ? `${whole} ${word} ${rest} ${nextWord}` : `${whole} ${word}`;
}

/** A count: "999", "12.3 k", "4.56 M". */
export function count(value: number): string {
  const [size, word] =
    value >= 1e9 ? [1e9, " G"] : value >= 1e6 ? [1e6, " M"] : value >= 10_000 ? [1e3, " k"] : [1, ""];
  const scaled = value / size;
  if (word === "" && Number.isInteger(scaled)) return scaled.toFixed(0);
  return `${Number(scaled.toPrecision(3))}${word}`;
}

/** "1 call", "12.3 k calls": a count with its word. */
export const counted = (value: number, one: string, many = `${one}s`): string =>
  `${count(value)} ${value === 1 ? one : many}`;

/** Bytes in binary multiples: "4.00 KiB". */
export function bytes(value: number): string {
  const words = ["B", "KiB", "MiB", "GiB", "TiB"];
  let scaled = value;
  let at = 0;
  while (scaled >= 1024 && at < words.length - 1) {
    scaled /= 1024;
    at += 1;
  }
  return `${at === 0 || scaled >= 999.5 ? scaled.toFixed(0) : scaled.toPrecision(3)} ${words[at] ?? "B"}`;
}

export const PAGE_BYTES = 8192;

/** A number with its noun in the right form. */
export const plural = (n: number, one: string, many: string): string => `${n} ${n === 1 ? one : many}`;
