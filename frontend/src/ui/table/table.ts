// What a table is told: its rows, columns and order.
import type { ReactNode } from "react";

import type { Column } from "./columns";

export interface Sort {
  readonly by: string; // empty: as the rows come
  readonly descending: boolean;
}

/** An order as it stands in an address: the column, and ".up" where the smallest come first. */
export const writeSort = ({ by, descending }: Sort): string => (descending ? by : `${by}.up`);

export const readSort = (text: string | undefined, usual: string): Sort => {
  const [by = "", way] = (text ?? "").split(".");
  return { by: by || usual, descending: way !== "up" };
};

export interface TableProps<Row> {
  readonly id: string; // under which the person's choice of columns is kept
  readonly label: string;
  readonly columns: readonly Column<Row>[];
  readonly rows: readonly Row[];
  readonly most?: number; // the newest so many are asked for; as many say that there may be more
  readonly rowKey: (row: Row) => string;
  readonly sort: Sort;
  readonly onSort?: (sort: Sort) => void; // the order is kept elsewhere, in the address for one
  readonly manual?: boolean; // rows come in order already
  readonly top?: (row: Row) => boolean; // stays on top, whatever the order
  readonly detail?: (row: Row) => ReactNode; // stands below a row, over its whole width; null: nothing
  readonly link?: (row: Row, words: ReactNode, className: string) => ReactNode; // a row as a link, around its first wide cell
  readonly mark?: (row: Row) => string | undefined; // a class for a row
  readonly current?: (row: Row) => boolean;
  readonly files?: readonly { readonly label: string; readonly href: string }[]; // made by the server, with all rows
  readonly rowPx?: number; // how tall a row is, about, where it is taller than a line
  readonly onSight?: (keys: readonly string[]) => void; // which rows are in sight; asked for what only these need
  readonly className?: string;
}

const FORMS = [
  ["CSV", "csv"],
  ["JSON Lines", "jsonl"],
  ["Parquet", "parquet"],
] as const;

/** All that a table is a part of, as files in each form. */
export const filesAt = (path: string | undefined, what: string): { label: string; href: string }[] =>
  path === undefined
    ? []
    : FORMS.map(([words, form]) => ({ label: `all ${what} as ${words}`, href: `${path}&format=${form}` }));
