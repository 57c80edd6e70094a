// What every view of sessions shares: their keys, and how a stretch of one is filled.
import { isKind, kindFill } from "./kinds";

/** A session's own key: pids are used again, so its start belongs to it. */
export const keyOf = (one: { readonly pid: number; readonly started_s: number }): string =>
  `${one.pid}-${one.started_s}`;

/** Inverse of keyOf; null when it is none. */
export function readKey(text: string | undefined): { pid: number; started: number } | null {
  const match = /^(-?\d+)-(\d+)$/.exec(text ?? "");
  return match ? { pid: Number(match[1]), started: Number(match[2]) } : null;
}

/** Fill of a stretch: what idles in a transaction is drawn as its outline, for it is no load. */
export const stretchFill = (one: { readonly kind: string; readonly active: boolean }): string =>
  !one.active ? "var(--raised)" : isKind(one.kind) ? kindFill(one.kind) : "var(--strong)";
