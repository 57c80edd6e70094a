import type { ComponentType } from "react";

import { later } from "../later";
import { cellClass, compareCells, isShown, plain, sized } from "./columns";
import { useLayout } from "./layouts";
import type { TableProps } from "./table";

const MOST = 60; // rows that stand until all of the table is loaded

/** The one table: sorted both ways, columns chosen and widened, rows as links, kept as CSV or copied, moved in by arrow keys. */
export function DataTable<Row>(props: TableProps<Row>) {
  const { most, rows } = props;
  return (
    <>
      {most !== undefined && rows.length >= most ? (
        <p className="text-muted text-sm">These are the newest {most}; there may be more.</p>
      ) : null}
      <Whole {...(props as unknown as TableProps<unknown>)} />
    </>
  );
}

const Whole = later<TableProps<unknown>>(
  () => import("./FullTable").then((m) => m.FullTable as ComponentType<TableProps<unknown>>),
  (props) => <PlainTable {...props} />,
);

/** Loads the whole of the table before it is shown. */
DataTable.load = Whole.load;

/** The first rows in their order, without what one can do with them: a first view need not wait for that. */
export function PlainTable<Row>({
  id,
  label,
  columns,
  rows,
  rowKey,
  sort,
  manual,
  top,
  link,
  mark,
  className = "",
}: TableProps<Row>) {
  const { layout } = useLayout(id);
  const shown = columns.filter((column) => isShown(column, layout));
  const by = columns.find((column) => column.id === sort.by);
  const way = sort.descending ? -1 : 1;
  const order = (one: Row, other: Row): number => {
    const [a, b] = [by?.value(one) ?? null, by?.value(other) ?? null];
    if (a === null || b === null) return Number(a === null) - Number(b === null);
    return way * compareCells(a, b);
  };
  const found = manual || !by ? [...rows] : [...rows].sort(order);
  if (top) found.sort((one, other) => Number(top(other)) - Number(top(one)));
  return (
    <div className={`relative overflow-auto ${className}`}>
      <table aria-label={label} aria-busy="true" className="font-condensed w-full">
        <thead className="bg-ground sticky top-0 z-10">
          <tr className="border-strong border-b">
            {shown.map((column) => (
              <th
                key={column.id}
                style={sized(layout.widths[column.id])}
                className={`py-1 pl-3 font-normal whitespace-nowrap ${column.align === "right" ? "text-right" : "text-left"}`}
              >
                {column.fixed ? null : column.heading}
              </th>
            ))}
            <th className="w-6" />
          </tr>
        </thead>
        <tbody>
          {found.slice(0, MOST).map((row) => (
            <tr key={rowKey(row)} className={`border-line relative border-b ${mark?.(row) ?? ""}`}>
              {shown.map((column) => {
                const words = column.show ? column.show(row) : plain(column.value(row));
                return (
                  <td key={column.id} className={cellClass(column)} style={sized(layout.widths[column.id])}>
                    {column.wide && link ? link(row, words, "block truncate") : words}
                  </td>
                );
              })}
              <td />
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
