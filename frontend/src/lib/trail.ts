// The trail: picks as text, `program:gate-scan`, or `!program:gate-scan` for "all but this".

export interface Pick {
  readonly dimension: string;
  readonly value: string;
  readonly exclude: boolean;
}

export function readPick(text: string): Pick {
  const exclude = text.startsWith("!");
  const body = exclude ? text.slice(1) : text;
  const colon = body.indexOf(":");
  return { dimension: body.slice(0, colon), value: body.slice(colon + 1), exclude };
}

export const writePick = (pick: Pick): string => `${pick.exclude ? "!" : ""}${pick.dimension}:${pick.value}`;

export type PickMode = "only" | "add" | "exclude";

/** The trail after a pick: a picked value is dropped again; `only` replaces the dimension's other values. */
export function picked(trail: readonly string[], dimension: string, value: string, mode: PickMode): string[] {
  const wanted = writePick({ dimension, value, exclude: mode === "exclude" });
  if (trail.includes(wanted)) return trail.filter((one) => one !== wanted);
  const kept = trail.filter((one) => {
    const pick = readPick(one);
    if (pick.dimension !== dimension) return true;
    if (pick.value === value) return false;
    return mode !== "only" || pick.exclude;
  });
  return [...kept, wanted];
}
