import {
  type Column as TableColumn,
  type ColumnDef,
  type Header,
  type Row as TableRow,
  type SortingState,
  getCoreRowModel,
  getSortedRowModel,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, memo, useEffect, useMemo, useRef, useState } from "react";

import { useOffer } from "../offers";
import { usePrinting } from "../usePrinting";
import { TableMenu } from "./TableMenu";
import { type Cell, type Column, cellClass, compareCells, fileOf, isShown, plain, sized } from "./columns";
import { type Layout, useLayout } from "./layouts";
import type { Sort, TableProps } from "./table";

const MANY = 120; // rows, from which only those in sight are drawn
const ROW_PX = 26;
const STEP_PX = 16;
const LEAST_PX = 36;
const COVERS_ROW = "after:absolute after:inset-0 after:content-['']";

/** The one table: sorted both ways, columns chosen and widened, rows as links, kept as CSV or copied, moved in by arrow keys. */
export function FullTable<Row>(props: TableProps<Row>) {
  const { id, label, columns, rows, rowKey, sort, onSort, className = "" } = props;
  const { layout, keep } = useLayout(id);
  const [own, setOwn] = useState(sort);
  const by = onSort ? sort : own;
  const sorting: SortingState = by.by ? [{ id: by.by, desc: by.descending }] : [];
  const data = useMemo(() => [...rows], [rows]);
  const defs = useMemo(() => columns.map(defOf), [columns]);
  const table = useReactTable({
    data,
    columns: defs,
    getRowId: rowKey,
    state: { sorting, columnVisibility: visibility(columns, layout) },
    manualSorting: props.manual === true,
    autoResetAll: false, // rows that are made anew with each drawing would otherwise draw again without end
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const [box, setBox] = useState<HTMLDivElement | null>(null); // state, since what is in sight is asked of it once it is there
  const turn = (column: string) => {
    const numbers = rows.some((row) => typeof columns.find((one) => one.id === column)?.value(row) === "number");
    const next = { by: column, descending: by.by === column ? !by.descending : numbers };
    (onSort ?? setOwn)(next);
  };
  const shown = table.getVisibleLeafColumns().map((one) => columnOf(one));
  const sorted = table.getRowModel().rows;
  const found = topFirst(sorted, props.top);
  useOffer({
    title: label,
    make: () => ({ title: label, sentence: "", figures: evidenceOf(shown, found) }),
    holds: (element) => box?.contains(element) === true,
  });
  const bounded = found.length > MANY && !className.includes("grow") ? "max-h-[75vh]" : "";
  return (
    <div
      ref={setBox}
      className={`relative overflow-auto print:max-h-none print:overflow-visible ${bounded} ${className}`}
    >
      <table aria-label={label} aria-rowcount={found.length + 1} className="font-condensed w-full">
        <thead className="bg-ground sticky top-0 z-10">
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id} className="border-strong border-b">
              {group.headers.map((header) => (
                <Heading
                  key={header.id}
                  header={header}
                  by={by}
                  width={layout.widths[header.column.id]}
                  onTurn={turn}
                  onWidth={(px) => keep({ ...layout, widths: { ...layout.widths, [header.column.id]: px } })}
                />
              ))}
              <th className="w-6 text-right">
                <TableMenu
                  label={label}
                  columns={columns}
                  shown={shown}
                  rows={found.map((row) => row.original)}
                  layout={layout}
                  keep={keep}
                  files={props.files ?? []}
                />
              </th>
            </tr>
          ))}
        </thead>
        <Body {...props} box={box} found={found} widths={layout.widths} shown={shown.map((one) => one.id).join(" ")} />
      </table>
    </div>
  );
}

function topFirst<Row>(rows: readonly TableRow<Row>[], top: ((row: Row) => boolean) | undefined): TableRow<Row>[] {
  return top ? [...rows.filter((row) => top(row.original)), ...rows.filter((row) => !top(row.original))] : [...rows];
}

/** What everybody may read of it. */
const evidenceOf = <Row,>(columns: readonly Column<Row>[], rows: readonly TableRow<Row>[]) =>
  fileOf(
    columns.filter((one) => !one.literal),
    rows.map((row) => row.original),
  );

interface BodyProps<Row> extends TableProps<Row> {
  readonly box: HTMLDivElement | null;
  readonly found: readonly TableRow<Row>[];
  readonly widths: Layout["widths"];
  readonly shown: string;
}

function Body<Row>(props: BodyProps<Row>) {
  const { box, found, widths, link, mark, current, detail, shown, columns, onSight } = props;
  const printing = usePrinting();
  const few = found.length <= MANY || printing;
  const virtual = useVirtualizer({
    count: few ? 0 : found.length,
    getScrollElement: () => box,
    estimateSize: () => props.rowPx ?? ROW_PX,
    overscan: props.rowPx ? 5 : 20,
  });
  const items = virtual.getVirtualItems();
  const first = items[0];
  const last = items.at(-1);
  const inSight = few ? found.map((row, at) => ({ row, at })) : items.flatMap((one) => rowAt(found, one.index));
  const sight = inSight.map(({ row }) => row.id).join("\n");
  useEffect(() => {
    onSight?.(sight === "" ? [] : sight.split("\n"));
  }, [sight, onSight]);
  const move = (event: KeyboardEvent<HTMLElement>) => {
    const at = Number((event.target as HTMLElement).closest("tr")?.dataset["at"]);
    const to = target(event.key, at, found.length);
    if (to === null || event.altKey || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    if (!few) virtual.scrollToIndex(to);
    const focus = () => {
      const row = box?.querySelector<HTMLElement>(`tr[data-at="${to}"]`);
      (row?.querySelector<HTMLElement>("a,button") ?? row)?.focus();
    };
    if (few) focus();
    else requestAnimationFrame(focus);
  };
  return (
    // The keys move between the links of the rows, which are reached by Tab as well.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <tbody onKeyDown={move}>
      {first && first.start > 0 ? <tr aria-hidden="true" style={{ height: first.start }} /> : null}
      {inSight.map(({ row, at }) => (
        <BodyRow
          key={row.id}
          {...{ row, at, widths, shown, columns }}
          link={link}
          mark={mark?.(row.original)}
          current={current?.(row.original) === true}
          below={detail?.(row.original) ?? null}
        />
      ))}
      {last ? <tr aria-hidden="true" style={{ height: virtual.getTotalSize() - last.end }} /> : null}
    </tbody>
  );
}

interface RowProps<Row> {
  readonly row: TableRow<Row>;
  readonly at: number; // its place among all rows
  readonly shown: string; // names of the columns that are seen: with others, or made anew, the row is another
  readonly columns: TableProps<Row>["columns"];
  readonly widths: Layout["widths"];
  readonly link: TableProps<Row>["link"];
  readonly mark: string | undefined;
  readonly current: boolean;
  readonly below: ReactNode;
}

/** A row, drawn again only when something of it is another: not for each row that comes into sight. */
const BodyRow = memo(<Row,>({ row, at, widths, link, mark, current, below }: RowProps<Row>) => {
  const cells = row.getVisibleCells();
  return (
    <>
      <tr
        data-at={at}
        tabIndex={-1}
        aria-rowindex={at + 2}
        aria-current={current ? "true" : undefined}
        className={`border-line hover:bg-raised relative border-b ${mark ?? ""}`}
      >
        {cells.map((cell) => {
          const column = columnOf(cell.column);
          // Called, not made a component: columns made anew would be others, and lose the focus and what was typed.
          const words = column.show ? column.show(row.original) : plain(column.value(row.original));
          const covers = `block truncate hover:text-accent ${COVERS_ROW}`;
          return (
            <td
              key={cell.id}
              className={cellClass(column)}
              style={sized(widths[column.id])}
              title={column.say?.(row.original)}
            >
              {column.wide && link ? link(row.original, words, covers) : words}
            </td>
          );
        })}
        <td />
      </tr>
      {below === null ? null : (
        <tr>
          <td colSpan={cells.length + 1} className="bg-raised px-4 py-2">
            {below}
          </td>
        </tr>
      )}
    </>
  );
}) as <Row>(props: RowProps<Row>) => ReactNode;

interface HeadingProps<Row> {
  readonly header: Header<Row, unknown>;
  readonly by: Sort;
  readonly width: number | undefined;
  readonly onTurn: (column: string) => void;
  readonly onWidth: (px: number) => void;
}

function Heading<Row>({ header, by, width, onTurn, onWidth }: HeadingProps<Row>) {
  const column = columnOf(header.column);
  const cell = useRef<HTMLTableCellElement>(null);
  const mine = by.by === column.id;
  if (column.fixed) return <th className="w-5" aria-label={column.heading} />;
  const way = by.descending ? "descending" : "ascending";
  const wide = () => width ?? cell.current?.offsetWidth ?? LEAST_PX;
  const widen = (px: number) => onWidth(Math.max(LEAST_PX, Math.round(px)));
  const key = (event: KeyboardEvent) => {
    const step = { ArrowLeft: -STEP_PX, ArrowRight: STEP_PX }[event.key];
    if (step === undefined || !event.shiftKey) return;
    event.preventDefault();
    widen(wide() + step);
  };
  return (
    <th
      ref={cell}
      aria-label={column.heading}
      aria-sort={mine ? way : "none"}
      style={sized(width)}
      className={`relative py-1 pl-3 font-normal whitespace-nowrap ${column.align === "right" ? "text-right" : "text-left"}`}
    >
      <button
        type="button"
        title={column.title}
        onClick={() => onTurn(column.id)}
        onKeyDown={key}
        className={`hover:text-accent min-w-6 ${mine ? "font-semibold" : ""}`}
      >
        {column.heading}
        {mine ? <span aria-hidden="true">{by.descending ? " ▾" : " ▴"}</span> : null}
      </button>
      <Edge from={wide} onWidth={widen} />
    </th>
  );
}

interface EdgeProps {
  readonly from: () => number;
  readonly onWidth: (px: number) => void;
}

/** The right edge of a heading, for the pointer; the keys change the width from the heading itself. */
const Edge = ({ from, onWidth }: EdgeProps) => {
  const begun = useRef<{ x: number; px: number } | null>(null);
  return (
    <span
      aria-hidden="true"
      data-edge
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        begun.current = { x: event.clientX, px: from() };
      }}
      onPointerUp={(event) => {
        if (begun.current && event.clientX !== begun.current.x)
          onWidth(begun.current.px + event.clientX - begun.current.x);
        begun.current = null;
      }}
      className="hover:border-strong absolute inset-y-0 right-0 w-1.5 cursor-col-resize touch-none border-r border-transparent"
    />
  );
};

const COLUMN = Symbol("column");

interface Meta<Row> {
  readonly [COLUMN]: Column<Row>;
}

/** A column of ours as the library wants it; ours stays with it. */
function defOf<Row>(column: Column<Row>): ColumnDef<Row> {
  return {
    id: column.id,
    accessorFn: (row) => column.value(row) ?? undefined,
    sortingFn: (a, b, of) => compareCells(a.getValue<Cell>(of), b.getValue<Cell>(of)),
    sortUndefined: "last",
    meta: { [COLUMN]: column } satisfies Meta<Row>,
  };
}

const columnOf = <Row,>(column: TableColumn<Row>): Column<Row> => (column.columnDef.meta as Meta<Row>)[COLUMN];

const visibility = <Row,>(columns: readonly Column<Row>[], layout: Layout): Record<string, boolean> =>
  Object.fromEntries(columns.map((one) => [one.id, isShown(one, layout)]));

const rowAt = <Row,>(found: readonly TableRow<Row>[], at: number) => {
  const row = found[at];
  return row ? [{ row, at }] : [];
};

/** Where a key leads to from a row; null: nowhere. */
function target(key: string, at: number, count: number): number | null {
  if (Number.isNaN(at)) return null;
  const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: count - 1, PageDown: at + 20, PageUp: at - 20 }[key];
  if (to === undefined) return null;
  const within = Math.min(count - 1, Math.max(0, to));
  return within === at ? null : within;
}
