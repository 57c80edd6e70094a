// What is stacked on the waterline: the wait kinds, or the largest values of any other dimension.
import { KIND_WORDS, WAIT_KINDS, kindFill } from "../kinds";

type Row = readonly (number | null)[];

export interface GroupLike {
  readonly key: string;
  readonly label?: string;
  readonly sessions: Row;
  readonly running?: Row | null; // the part of `sessions` that runs; absent when the groups are the kinds themselves
}

export interface LoadLike {
  readonly start: number;
  readonly end: number;
  readonly bucket_ms: number;
  readonly starts: readonly number[];
  readonly groups: readonly GroupLike[];
  readonly usual?: { readonly running: BandLike; readonly waiting: BandLike } | null;
}

/** What is usual on one side of the line, per bucket; null where too little is known. */
export interface BandLike {
  readonly low: Row;
  readonly middle: Row;
  readonly high: Row;
}

/** One thing stacked, nearest to the line first. `up` runs and rises, `down` waits and hangs; null in a gap. */
export interface Stack {
  readonly key: string;
  readonly label: string;
  readonly fill: string;
  readonly up: Row | null; // null: never above the line
  readonly down: Row | null;
}

export const OTHERS = "others";
const TONES = 6;

/** Fill of the i-th largest value of a dimension that is no wait kind: tones of their own, each with a texture. */
export const groupFill = (key: string, i: number): string => `url(#group-${key === OTHERS ? TONES : i % TONES})`;

/** Kinds in their fixed order, all of them; other values in the order in which they came, the largest first. */
export function stacks(load: LoadLike): Stack[] {
  if (load.groups.some((group) => group.running)) return load.groups.map(valueStack);
  const found = new Map(load.groups.map((group) => [group.key, group.sessions]));
  const none = load.starts.map((_, i) => (load.groups[0] && load.groups[0].sessions[i] === null ? null : 0));
  return (["running", ...WAIT_KINDS] as const).map((kind) => {
    const row = found.get(kind) ?? none;
    const side = kind === "running" ? { up: row, down: null } : { up: null, down: row };
    return { key: kind, label: KIND_WORDS[kind], fill: kindFill(kind), ...side };
  });
}

function valueStack(group: GroupLike, i: number): Stack {
  const running = group.running ?? [];
  const waiting = group.sessions.map((all, at) => (all === null ? null : Math.max(0, all - (running[at] ?? 0))));
  return {
    key: group.key,
    label: group.label ?? group.key,
    fill: groupFill(group.key, i),
    up: running,
    down: waiting,
  };
}

const at = (row: Row | null, i: number): number => row?.[i] ?? 0;

/** Sessions of a stack in bucket i, running and waiting together; null in a gap. */
export function stackValue(stack: Stack, i: number): number | null {
  const known = stack.up ?? stack.down;
  return known?.[i] === null || known?.[i] === undefined ? null : at(stack.up, i) + at(stack.down, i);
}

/** Whether nothing was sampled in bucket i. */
export const isGap = (all: readonly Stack[], i: number): boolean => {
  const first = all[0];
  return first !== undefined && stackValue(first, i) === null;
};

export interface Edge {
  readonly low: number;
  readonly high: number;
}

/** How far each stack reaches on one side in bucket i, in sessions from the line; stacks lie on each other. */
export function edges(all: readonly Stack[], side: "up" | "down", i: number): Edge[] {
  let height = 0;
  return all.map((stack) => {
    const low = height;
    height += at(stack[side], i);
    return { low, high: height };
  });
}
