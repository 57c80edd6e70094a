import { Minus, MoveLeft, Plus, X } from "lucide-react";
import type { KeyboardEvent, MouseEvent } from "react";

import { kindFill } from "../../charts/kinds";
import { DIMENSIONS, type DimensionName, isDimension } from "../../lib/dimensions";
import type { PickMode } from "../../lib/trail";
import { Choice } from "../../ui/Choice";
import { useKeptFocus } from "../../ui/useKeptFocus";
import { barParts, type SieveColumn, type SieveRow as Row } from "./model";

interface Props {
  readonly found: readonly SieveColumn[];
  readonly columns: readonly DimensionName[];
  readonly onPick: (dimension: string, value: string, mode: PickMode) => void;
  readonly onColumns: (columns: DimensionName[]) => void;
  readonly onExplain: (wait: string) => void;
  readonly onOpen: (dimension: DimensionName, number: string) => void;
  readonly onMore: () => void;
}

/** Columns side by side, one per dimension, each ranking its values inside the picks of the others. */
export const Sieve = ({ found, columns, onPick, onColumns, onExplain, onOpen, onMore }: Props) => {
  const root = useKeptFocus<HTMLDivElement>("[data-place]");
  const most = Math.max(...found.flatMap((column) => column.rows.map((row) => row.size)), 0);
  return (
    // The keys move between the buttons inside, which are reached by Tab as well.
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div
      className="grid gap-x-5"
      // As many columns side by side as there are; where one would be too narrow to read, they go on below.
      ref={root}
      style={{
        gridTemplateColumns: `repeat(auto-fit, minmax(max(140px, calc(${100 / columns.length}% - 20px)), 1fr))`,
      }}
      tabIndex={-1}
      onKeyDown={walk}
      data-sieve
    >
      {columns.map((name, index) => {
        const column = found.find((one) => one.dimension === name);
        return (
          <section key={name} aria-label={DIMENSIONS[name]} className="min-w-0">
            <ColumnHead name={name} index={index} columns={columns} onColumns={onColumns} />
            <ul>
              {column?.rows.map((row, at) => (
                <SieveRow
                  key={row.value}
                  row={row}
                  most={most}
                  column={index}
                  place={at}
                  dimension={name}
                  onPick={onPick}
                  onExplain={onExplain}
                  onOpen={onOpen}
                />
              ))}
            </ul>
            {column && column.rows.length === 0 ? <p className="text-muted py-1 text-sm">{column.empty}</p> : null}
            {column?.note ? <p className="text-muted py-0.5 text-xs">{column.note}</p> : null}
            {column && column.more > 0 ? (
              <button type="button" className="text-muted hover:text-accent text-xs" onClick={onMore}>
                {column.more} more
              </button>
            ) : null}
          </section>
        );
      })}
    </div>
  );
};

interface HeadProps {
  readonly name: DimensionName;
  readonly index: number;
  readonly columns: readonly DimensionName[];
  readonly onColumns: (columns: DimensionName[]) => void;
}

const ColumnHead = ({ name, index, columns, onColumns }: HeadProps) => {
  const options = Object.entries(DIMENSIONS)
    .filter(([value]) => value === name || !columns.some((one) => one === value))
    .map(([value, label]) => ({ value, label }));
  const change = (to: string): void => {
    if (isDimension(to)) onColumns(columns.map((old) => (old === name ? to : old)));
  };
  const toLeft = (): void => {
    const moved = columns.filter((one) => one !== name);
    moved.splice(index - 1, 0, name);
    onColumns(moved);
  };
  return (
    <div className="border-strong group mb-1 flex items-center justify-between border-b">
      <Choice label="column" value={name} options={options} onChange={change} className="font-semibold" />
      <span className="flex opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
        {index > 0 ? (
          <button
            type="button"
            aria-label={`move ${DIMENSIONS[name]} to the left`}
            className="hover:text-accent p-0.5"
            onClick={toLeft}
          >
            <MoveLeft size={12} aria-hidden="true" />
          </button>
        ) : null}
        {columns.length > 1 ? (
          <button
            type="button"
            aria-label={`remove ${DIMENSIONS[name]}`}
            className="hover:text-accent p-0.5"
            onClick={() => onColumns(columns.filter((one) => one !== name))}
          >
            <X size={12} aria-hidden="true" />
          </button>
        ) : null}
      </span>
    </div>
  );
};

interface RowProps {
  readonly row: Row;
  readonly most: number;
  readonly column: number;
  readonly place: number;
  readonly dimension: DimensionName;
  readonly onPick: Props["onPick"];
  readonly onExplain: Props["onExplain"];
  readonly onOpen: Props["onOpen"];
}

const SieveRow = ({ row, most, column, place, dimension, onPick, onExplain, onOpen }: RowProps) => {
  const pick = (event: MouseEvent | KeyboardEvent): void =>
    onPick(dimension, row.value, event.altKey ? "exclude" : event.shiftKey ? "add" : "only");
  const { opens } = row;
  return (
    <li className="group relative">
      <button
        type="button"
        aria-pressed={row.picked}
        data-column={column}
        data-place={place}
        title={row.exact}
        onClick={(event) => {
          pick(event);
          if (dimension === "wait") onExplain(row.value);
        }}
        onKeyDown={(event) => {
          if (event.key === "o" && opens !== null) onOpen(dimension, opens);
          if (event.key === "Enter" && event.altKey) {
            event.preventDefault(); // the browser presses no button for Enter with Alt
            pick(event);
          }
        }}
        className={`block w-full rounded-sm px-1 pt-0.5 pb-1 text-left ${row.picked ? "bg-line" : "hover:bg-raised"}`}
      >
        <span className="font-condensed flex items-baseline justify-between gap-2">
          <span
            className={`truncate ${row.picked ? "font-semibold" : ""} ${dimension === "statement" ? "font-mono text-[11px]" : ""}`}
          >
            {row.label}
          </span>
          <span className="shrink-0">
            {row.said} <span className="text-muted text-xs">{row.share}</span>
          </span>
        </span>
        <svg className="mt-0.5 block h-[7px] w-full" aria-hidden="true">
          <Unknown row={row} most={most} />
          {barParts(row.byKind, most).map((part) => (
            <rect
              key={part.kind}
              x={`${part.from}%`}
              width={`${Math.max(part.width, 0.4)}%`}
              height="7"
              fill={kindFill(part.kind)}
            />
          ))}
          <line x1="30%" x2="30%" y2="7" stroke="var(--ink)" />
        </svg>
      </button>
      <span className="bg-raised absolute top-0.5 right-0 hidden gap-1 px-1 text-xs group-focus-within:flex group-hover:flex">
        {opens !== null ? (
          <button type="button" className="text-accent hover:underline" onClick={() => onOpen(dimension, opens)}>
            open
          </button>
        ) : null}
        <button
          type="button"
          aria-label={`add ${row.label}`}
          title="also this (Shift-click)"
          onClick={() => onPick(dimension, row.value, "add")}
        >
          <Plus size={12} aria-hidden="true" />
        </button>
        <button
          type="button"
          aria-label={`all but ${row.label}`}
          title="all but this (Alt-click)"
          onClick={() => onPick(dimension, row.value, "exclude")}
        >
          <Minus size={12} aria-hidden="true" />
        </button>
      </span>
    </li>
  );
};

/** The part of a bar of which no sample saw the work. */
const Unknown = ({ row, most }: { readonly row: Row; readonly most: number }) => {
  const known = Object.values(row.byKind).reduce((sum, one) => sum + one, 0);
  const rest = row.size - known;
  if (rest <= row.size * 1e-6) return null;
  const waiting = known - (row.byKind.running ?? 0);
  return (
    <rect
      x={`${30 + (70 * waiting) / most}%`}
      width={`${Math.max((70 * rest) / most, 0.4)}%`}
      height="7"
      fill="none"
      stroke="var(--muted)"
    />
  );
};

/** Arrow keys walk from row to row and from column to column. */
function walk(event: KeyboardEvent<HTMLDivElement>): void {
  const by = { ArrowUp: [0, -1], ArrowDown: [0, 1], ArrowLeft: [-1, 0], ArrowRight: [1, 0] }[event.key];
  const current = event.target instanceof HTMLElement ? event.target.dataset : {};
  const [dx, dy] = by ?? [];
  if (dx === undefined || dy === undefined || current.column === undefined) return;
  event.preventDefault();
  const column = Number(current.column) + dx;
  for (let place = Number(current.place) + dy; place >= 0; place -= 1) {
    const next = event.currentTarget.querySelector<HTMLElement>(`[data-column="${column}"][data-place="${place}"]`);
    if (next) {
      next.focus();
      return;
    }
    if (dy > 0) return;
  }
}
