// Two plans as one list of steps. Pure: no React.
import type { Schemas } from "../../api/client";
import type { Step } from "./model";

export interface AlignedStep {
  readonly place: number; // in the order in which rows flow
  readonly depth: number;
  readonly before: Step | null;
  readonly after: Step | null;
  readonly words: string; // how the two differ
}

/** Steps of the first plan in the order of its rows, each with its match; what only the second has, where it stands there. */
export function aligned(found: Pick<Schemas["ComparisonOut"], "before" | "after" | "pairs">): AlignedStep[] {
  const place = (rows: readonly Step[]) => new Map(rows.map((row, at) => [row.step, { row, at }]));
  const first = place(found.before.rows);
  const second = place(found.after.rows);
  const steps = found.pairs.map((pair) => {
    const before = pair.before === null ? undefined : first.get(pair.before);
    const after = pair.after === null ? undefined : second.get(pair.after);
    return { before, after, words: pair.words };
  });
  // A step that only the second plan has comes before the first of those that stand behind it in both.
  const order = (one: (typeof steps)[number]): number => {
    if (one.before) return one.before.at;
    const at = one.after?.at ?? 0;
    const behind = steps.filter((other) => other.before && other.after && other.after.at > at);
    return Math.min(found.before.rows.length, ...behind.map((other) => other.before?.at ?? 0)) - 0.5;
  };
  return steps
    .map((one) => ({ one, at: order(one) }))
    .toSorted((a, b) => a.at - b.at || (a.one.after?.at ?? 0) - (b.one.after?.at ?? 0))
    .map(({ one }, i) => ({
      place: i + 1,
      depth: (one.before ?? one.after)?.row.depth ?? 0,
      before: one.before?.row ?? null,
      after: one.after?.row ?? null,
      words: one.words,
    }));
}
