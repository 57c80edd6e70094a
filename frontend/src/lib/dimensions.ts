// Dimensions in the order in which they are offered, with the words for the screen.

export const DIMENSIONS = {
  wait: "Wait event",
  statement: "Statement",
  program: "Program",
  held_by: "Held by",
  user: "User",
  client: "Client host",
  tables: "Tables",
  database: "Database",
  kind: "Wait kind",
  backend: "Process",
} as const;

export type DimensionName = keyof typeof DIMENSIONS;

export const isDimension = (name: string): name is DimensionName => name in DIMENSIONS;

export const ALL_DIMENSIONS = Object.keys(DIMENSIONS) as DimensionName[];

export const DEFAULT_COLUMNS: readonly DimensionName[] = ["wait", "statement", "program", "held_by", "tables"];
