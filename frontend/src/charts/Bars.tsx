import { ChartFrame } from "./ChartFrame";
import { bars, sum } from "./geometry/bars";
import type { Table } from "../ui/tableFile";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

interface Props {
  readonly title: string;
  readonly rows: readonly string[];
  readonly columns: readonly string[];
  readonly cells: readonly (readonly (number | null)[])[];
  readonly stacked: boolean; // the columns of a row make up a whole
  readonly ordered: boolean; // the columns have an order: from light to dark
  readonly say: (value: number) => string;
  readonly table: () => Table;
}

const TOP = 22;
const TONES = 6;
const LETTER = 6.8; // pixels, about
const [LEAST_LEFT, MOST_LEFT] = [90, 380];
const short = (text: string, most: number): string => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** A bar a row, a piece a column. Pieces stand in the order of the legend; arrow keys read them one by one. */
export const Bars = ({ title, rows, columns, cells, stacked, ordered, say, table }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const bar = stacked ? 22 : 13;
  const left = Math.min(MOST_LEFT, Math.max(LEAST_LEFT, 12 + LETTER * Math.max(0, ...rows.map((row) => row.length))));
  // Bars that stand alone are named where they end; only pieces of one bar must be told apart.
  const fill: Fill = (column) => {
    if (!stacked || columns.length < 2) return { fill: "var(--running)" };
    if (!ordered) return { fill: `var(--tone-${column % TONES})` };
    return { fill: "var(--running)", fillOpacity: 0.25 + (0.75 * (column + 1)) / columns.length };
  };
  const room = stacked || columns.length < 2 ? 90 : 220; // behind a bar, for what it tells
  const { pieces, rows: places, height } = bars(cells, { width: Math.max(0, size.width - left - room), bar }, stacked);
  const { cursor, point, keys } = useCursor(pieces.length);
  const at = cursor === null ? undefined : pieces[cursor];
  const words = at ? `${rows[at.row] ?? ""}, ${columns[at.column] ?? ""}: ${say(at.value)}` : "";
  const longest = [...pieces].sort((one, other) => other.value - one.value)[0];
  const reading = longest
    ? `most: ${rows[longest.row] ?? ""}, ${columns[longest.column] ?? ""}, ${say(longest.value)}`
    : "nothing to show";
  return (
    <ChartFrame title={title} reading={reading} table={table}>
      <div ref={ref}>
        <svg
          data-chart
          width={size.width}
          height={TOP + height}
          className="block"
          aria-label={`${title}: ${reading}. Arrow keys read it piece by piece.`}
          {...keys}
        >
          {columns.length > 1 && stacked ? (
            <Legend columns={columns} left={left} width={size.width - left - 30} fill={fill} />
          ) : null}
          <text y={12} fontSize="12" fill="var(--ink)">
            {at ? short(`${columns[at.column] ?? ""}: ${say(at.value)}`, Math.floor(left / LETTER)) : ""}
          </text>
          <g transform={`translate(0 ${TOP})`} fontSize="12">
            {rows.map((name, row) => (
              <text
                key={row}
                x={left - 8}
                y={(places[row]?.y ?? 0) + (stacked ? 14 : 11)}
                textAnchor="end"
                fill="var(--ink)"
              >
                {short(name, Math.floor((left - 12) / LETTER))}
                <title>{name}</title>
              </text>
            ))}
            <line x1={left} x2={left} y2={height} stroke="var(--strong)" />
            {pieces.map((piece, i) => (
              <g key={`${piece.row} ${piece.column}`} transform={`translate(${left + piece.x} ${piece.y})`}>
                <rect
                  width={Math.max(1, piece.width - 1)}
                  height={bar - (stacked ? 3 : 2)}
                  {...fill(piece.column)}
                  stroke={cursor === i ? "var(--ink)" : "none"}
                  strokeWidth="1.5"
                  onPointerEnter={() => point(i)}
                />
                {endOfRow(pieces, i, stacked) ? (
                  <text x={piece.width + 4} y={stacked ? 14 : 9} fontSize={stacked ? 12 : 10} fill="var(--muted)">
                    {say(stacked ? sum(cells[piece.row] ?? []) : piece.value)}
                    {stacked || columns.length < 2 ? "" : `  ${short(columns[piece.column] ?? "", 20)}`}
                  </text>
                ) : null}
              </g>
            ))}
          </g>
        </svg>
        <p aria-live="polite" className="sr-only">
          {words}
        </p>
      </div>
    </ChartFrame>
  );
};

type Fill = (column: number) => { fill: string; fillOpacity?: number };

interface LegendProps {
  readonly columns: readonly string[];
  readonly left: number;
  readonly width: number;
  readonly fill: Fill;
}

const Legend = ({ columns, left, width, fill }: LegendProps) =>
  legend(columns, width).map(({ name, x }, column) => (
    <g key={name} transform={`translate(${left + x} 0)`} fontSize="12">
      <rect y={3} width={10} height={10} {...fill(column)} />
      <text x={14} y={12} fill="var(--ink)">
        {name}
      </text>
    </g>
  ));

/** Behind which piece a figure stands: each, or the last of a row, which tells the whole. */
const endOfRow = (pieces: readonly { readonly row: number }[], i: number, stacked: boolean): boolean =>
  !stacked || pieces[i + 1]?.row !== pieces[i]?.row;

/** Names of the columns and where they stand, as many as there is room for. */
function legend(columns: readonly string[], width: number): { readonly name: string; readonly x: number }[] {
  const places: { name: string; x: number }[] = [];
  let x = 0;
  for (const column of columns) {
    const name = short(column, 24);
    if (x + 20 + LETTER * name.length > width) break;
    places.push({ name, x });
    x += 30 + LETTER * name.length;
  }
  return places;
}
