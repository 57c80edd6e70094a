import { bytes, count } from "./units";

/** What an index that is proposed costs to keep. */
export function keepingWords(one: {
  readonly size_bytes: number;
  readonly writes: number | null;
  readonly writes_at_most: number | null;
}): string {
  const size = `About ${bytes(one.size_bytes)}`;
  if (one.writes === null || one.writes_at_most === null)
    return `${size}; how much would be written to it is not known.`;
  const more =
    one.writes_at_most > one.writes
      ? `, and up to ${count(one.writes_at_most)} where changes made in place touch its columns`
      : "";
  return `${size}; ${count(one.writes)} changes of rows would have written to it so far${more}.`;
}
