import { ChartFrame } from "./ChartFrame";
import { bars } from "./geometry/bars";
import type { Table } from "./saving";
import { useCursor } from "./useCursor";
import { useSize } from "./useSize";

interface Props {
  readonly title: string;
  readonly rows: readonly string[];
  readonly columns: readonly string[];
  readonly cells: readonly (readonly (number | null)[])[];
  readonly stacked: boolean; // the columns of a row make up a whole
  readonly say: (value: number) => string;
  readonly table: () => Table;
}

const LEFT = 200;
const TOP = 22;
const TONES = 6;
const tone = (column: number): string => `var(--tone-${column % TONES})`;
const short = (text: string, most: number): string => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/** A bar a row, a piece a column. Pieces stand in the order of the legend; arrow keys read them one by one. */
export const Bars = ({ title, rows, columns, cells, stacked, say, table }: Props) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const rowHeight = stacked ? 22 : 8 + 9 * Math.max(1, columns.length);
  const pieces = bars(cells, { width: Math.max(0, size.width - LEFT - 90), rowHeight }, stacked);
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
          height={TOP + rows.length * rowHeight}
          className="block"
          aria-label={`${title}: ${reading}. Arrow keys read it piece by piece.`}
          {...keys}
        >
          {columns.length > 1
            ? columns.slice(0, 9).map((name, column) => (
                <g key={name} transform={`translate(${LEFT + column * 110} 0)`} fontSize="12">
                  <rect y={3} width={10} height={10} fill={tone(column)} />
                  <text x={14} y={12} fill="var(--ink)">
                    {short(name, 13)}
                  </text>
                </g>
              ))
            : null}
          <text y={12} fontSize="12" fill="var(--ink)">
            {short(words, 32)}
          </text>
          <g transform={`translate(0 ${TOP})`} fontSize="12">
            {rows.map((name, row) => (
              <text key={row} x={LEFT - 8} y={row * rowHeight + 14} textAnchor="end" fill="var(--ink)">
                {short(name, 28)}
                <title>{name}</title>
              </text>
            ))}
            <line x1={LEFT} x2={LEFT} y2={rows.length * rowHeight} stroke="var(--strong)" />
            {pieces.map((piece, i) => (
              <g key={`${piece.row} ${piece.column}`} transform={`translate(${LEFT + piece.x} ${piece.y})`}>
                <rect
                  width={Math.max(1, piece.width - 1)}
                  height={piece.height}
                  fill={tone(piece.column)}
                  stroke={cursor === i ? "var(--ink)" : "none"}
                  strokeWidth="1.5"
                  onPointerEnter={() => point(i)}
                />
                {endOfRow(pieces, i, stacked) ? (
                  <text
                    x={piece.width + 4}
                    y={stacked ? 14 : piece.height}
                    fontSize={stacked ? 12 : 10}
                    fill="var(--muted)"
                  >
                    {say(stacked ? sumOf(cells[piece.row] ?? []) : piece.value)}
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

/** Behind which piece a figure stands: each, or the last of a row, which tells the whole. */
const endOfRow = (pieces: readonly { readonly row: number }[], i: number, stacked: boolean): boolean =>
  !stacked || pieces[i + 1]?.row !== pieces[i]?.row;

const sumOf = (row: readonly (number | null)[]): number => row.reduce<number>((sum, cell) => sum + (cell ?? 0), 0);
