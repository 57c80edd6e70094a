// What a column of the one table is, and a table as a file.
import type { ReactNode } from "react";

import type { Table } from "../tableFile";
import type { Layout } from "./layouts";

export type Cell = string | number | null;

export interface Column<Row> {
  readonly id: string;
  readonly heading: string;
  readonly title?: string; // what it means, for the heading
  readonly value: (row: Row) => Cell; // for sorting, copying and files; null: not known
  readonly show?: (row: Row) => ReactNode; // as it is shown; without, the value
  readonly say?: (row: Row) => string | undefined; // more on a cell, as its title
  readonly align?: "left" | "right";
  readonly wide?: boolean; // takes the room that the others leave, and is cut off where that is not enough
  readonly optional?: boolean; // hidden until it is chosen
  readonly literal?: boolean; // may hold values of a statement: it is no evidence, which everybody reads
  readonly fixed?: boolean; // can be neither hidden nor sorted by: marks and buttons
}

/** The columns that are seen, as a file has them. */
export const fileOf = <Row>(columns: readonly Column<Row>[], rows: readonly Row[]): Table => {
  const told = columns.filter((one) => !one.fixed);
  return { columns: told.map((one) => one.heading), rows: rows.map((row) => told.map((one) => one.value(row))) };
};

/** Ascending; what is not known comes last, whichever way is sorted. */
export function compareCells(one: Cell, other: Cell): number {
  if (typeof one === "number" && typeof other === "number") return one - other;
  return String(one).localeCompare(String(other), undefined, { numeric: true });
}

/** Whether a person sees a column. */
export const isShown = <Row>(column: Column<Row>, layout: Layout): boolean =>
  column.optional ? layout.shown.includes(column.id) : !layout.hidden.includes(column.id);

export const plain = (value: Cell): string => (value === null ? "–" : String(value));

export const cellClass = <Row>(column: Column<Row>): string =>
  column.wide
    ? "w-2/5 max-w-0 min-w-56 truncate py-1 pl-3"
    : column.align === "right"
      ? "py-1 pl-3 text-right whitespace-nowrap"
      : "max-w-72 truncate py-1 pl-3";

export const sized = (px: number | undefined) =>
  px === undefined ? undefined : { width: px, minWidth: px, maxWidth: px };
