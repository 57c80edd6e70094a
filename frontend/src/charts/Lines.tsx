import { line } from "d3-shape";

import { type Mark, Marks } from "./TimeAxis";
import { type Plot, TimePlot } from "./TimePlot";

interface Props {
  readonly title: string;
  readonly starts: readonly number[];
  readonly bucketMs: number;
  readonly start: number;
  readonly end: number;
  readonly values: readonly (number | null)[];
  readonly now: number;
  readonly say: (value: number) => string;
  readonly usual?: readonly (number | null)[];
  readonly marks?: readonly Mark[];
}

const TOP = 16; // for the name and what is read out

/** One measure over time. Gaps stay open; a single point between gaps is a dot. */
export const Lines = ({ title, values, say, usual = [], marks = [], ...rest }: Props) => {
  const most = Math.max(...values.map((v) => v ?? 0), 0);
  const last = values.findLast((v) => v !== null) ?? null;
  const told = (cursor: number | null): string => {
    if (cursor === null) return last === null ? "not counted in this window" : `last ${say(last)}, most ${say(most)}`;
    const value = values[cursor] ?? null;
    return value === null ? "not counted" : say(value);
  };
  return (
    <TimePlot
      {...rest}
      title={title}
      told={told}
      margin={{ top: TOP }}
      apart={80}
      table={() =>
        usual.length ? { columns: [title, "usual"], cells: [values, usual] } : { columns: [title], cells: [values] }
      }
    >
      {(plot) => (
        <>
          <text y={11 - TOP} fontSize="12" fontWeight="600" fill="var(--ink)">
            {title}
          </text>
          <text x={plot.width - 24} y={11 - TOP} fontSize="12" textAnchor="end" fill="var(--muted)">
            {readOut(plot, values, usual, say)}
          </text>
          <Line plot={plot} values={values} usual={usual} scale={Math.max(most, ...usual.map((v) => v ?? 0)) || 1} />
          <Marks marks={marks} x={plot.x} height={plot.height} />
        </>
      )}
    </TimePlot>
  );
};

type Row = readonly (number | null)[];

function readOut({ cursor, when }: Plot, values: Row, usual: Row, say: Props["say"]): string {
  const known = values.filter((v) => v !== null);
  const shown = cursor === null ? (known.at(-1) ?? null) : (values[cursor] ?? null);
  const value = shown === null ? "not counted" : say(shown);
  if (cursor === null) return known.length > 1 ? `${value}, most ${say(Math.max(...known, 0))}` : value;
  const typical = usual[cursor] ?? null;
  return `${when}  ${value}${typical === null ? "" : `, usual ${say(typical)}`}`;
}

interface LineProps {
  readonly plot: Plot;
  readonly values: Row;
  readonly usual: Row;
  readonly scale: number; // the value at the upper edge; a measure that is zero throughout lies on the line
}

const Line = ({ plot, values, usual, scale }: LineProps) => {
  const y = (v: number): number => plot.height - (v / scale) * (plot.height - 4);
  const path = (row: Row): string =>
    line<number | null>()
      .defined((v) => v !== null)
      .x((_, i) => plot.middle(i))
      .y((v) => y(v ?? 0))([...row]) ?? "";
  const shown = plot.cursor === null ? null : (values[plot.cursor] ?? null);
  return (
    <>
      {usual.length ? (
        <path d={path(usual)} fill="none" stroke="var(--muted)" strokeDasharray="4 3">
          <title>usual at this hour</title>
        </path>
      ) : null}
      <path d={path(values)} fill="none" stroke="var(--running)" strokeWidth="1.5" />
      {values.map((v, i) =>
        v !== null && (values[i - 1] ?? null) === null && (values[i + 1] ?? null) === null ? (
          <circle key={i} cx={plot.middle(i)} cy={y(v)} r="2" fill="var(--running)" />
        ) : null,
      )}
      {plot.cursor !== null && shown !== null ? (
        <circle cx={plot.middle(plot.cursor)} cy={y(shown)} r="3" fill="var(--ink)" />
      ) : null}
    </>
  );
};
