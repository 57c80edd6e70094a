import { bytes, count } from "./units";

/** What an index that is proposed costs to keep. */
export function keepingWords(one: {
  readonly size_bytes: number;
  readonly writes: number;
  readonly writes_at_most: number;
}): string {
  const more =
    one.writes_at_most > one.writes
      ? `, and up to ${count(one.writes_at_most)} where changes made in place touch its columns`
      : "";
  return `About ${bytes(one.size_bytes)}; ${count(one.writes)} changes of rows would have written to it so far${more}.`;
}
