import { count, duration } from "../lib/units";
import { type DensityPlot, durationY, type Region, rungRegion, type Rungs } from "./geometry/density";

interface Props {
  readonly plot: DensityPlot;
  readonly found: Rungs;
  readonly width: number;
  readonly picked: number | null; // the class that is picked
  readonly onPick: (region: Region | null) => void;
}

/** How much of all time the executions of each class of durations took: rare long ones may weigh more than all others. */
export const Ladder = ({ plot, found, width, picked, onPick }: Props) => {
  const whole = found.row_total_ms.reduce((sum, ms) => sum + ms, 0);
  const most = Math.max(...found.row_total_ms, 0);
  if (whole <= 0) return null;
  const top = found.row_total_ms.indexOf(most);
  const percent = (row: number): string => `${Math.round((100 * (found.row_total_ms[row] ?? 0)) / whole)}%`;
  return (
    <g fontSize="10" fill="var(--muted)" data-ladder>
      <text y={-4}>share of all time</text>
      <line y1={0} y2={plot.height} stroke="var(--strong)" />
      {found.row_total_ms.map((ms, row) => {
        if (ms <= 0) return null;
        const [above, below] = [durationY(plot, edge(found, row + 1)), durationY(plot, edge(found, row))];
        const long = Math.max(1.5, (ms / most) * (width - 52));
        return (
          <g
            key={row}
            className="cursor-pointer"
            data-rung={row}
            onClick={() => onPick(picked === row ? null : rungRegion(found, row))}
          >
            <title>{rungWords(found, row, percent(row))}</title>
            <rect y={above} width={width} height={below - above} fill="transparent" />
            <rect
              y={above + 0.5}
              width={long}
              height={Math.max(1, below - above - 1)}
              fill="var(--running)"
              fillOpacity={picked === null || picked === row ? 1 : 0.3}
            />
            {row === (picked ?? top) ? (
              <text x={long + 4} y={(above + below) / 2 + 3.5} fill="var(--ink)">
                {percent(row)}
              </text>
            ) : null}
          </g>
        );
      })}
    </g>
  );
};

const edge = (found: Rungs, i: number): number => found.edges_ms[i] ?? 0;

const rungWords = (found: Rungs, row: number, share: string): string =>
  `${duration(edge(found, row))} to ${duration(edge(found, row + 1))}: ${count(Math.round(found.row_executions[row] ?? 0))} executions, ${duration(found.row_total_ms[row] ?? 0)}, ${share} of all time`;
