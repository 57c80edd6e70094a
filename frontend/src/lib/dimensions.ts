// Dimensions in the order in which they are offered, with the words for the screen.

import { DIMENSIONS } from "./words/dimensions";

const ORDER = [
  "wait",
  "statement",
  "program",
  "endpoint",
  "held_by",
  "user",
  "client",
  "tables",
  "database",
  "kind",
  "backend",
] as const;

export { DIMENSIONS };

export type DimensionName = (typeof ORDER)[number];

export const isDimension = (name: string): name is DimensionName => name in DIMENSIONS;

export const ALL_DIMENSIONS: readonly DimensionName[] = ORDER;

export const DEFAULT_COLUMNS: readonly DimensionName[] = ["wait", "statement", "program", "held_by", "tables"];
