// The eight kinds: order on the waterline, short words, and the texture that tells them apart without colour.

import { WAIT_KINDS as WAIT_KINDS_BY_VALUE } from "../lib/words/wait_kinds";

export const KINDS = ["running", "client", "sleep", "engine", "other_process", "commit", "data_io", "lock"] as const;
export type Kind = (typeof KINDS)[number];

/** Below the line, from the line downwards: what hurts most lies deepest. */
export const WAIT_KINDS = KINDS.filter((kind) => kind !== "running");

export const KIND_WORDS: Readonly<Record<Kind, string>> = WAIT_KINDS_BY_VALUE;

export const isKind = (text: string): text is Kind => (KINDS as readonly string[]).includes(text);

/** Fill of a mark: a pattern defined once per page by WaitTextures. */
export const kindFill = (kind: Kind): string => (kind === "running" ? "var(--running)" : `url(#kind-${kind})`);
