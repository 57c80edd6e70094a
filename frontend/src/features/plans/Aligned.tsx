import type { Schemas } from "../../api/client";
import { bytes, count, duration, PAGE_BYTES } from "../../lib/units";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { type AlignedStep, aligned } from "./aligned";
import type { Step } from "./model";

interface Props {
  readonly found: Schemas["ComparisonOut"];
}

/** Two plans step by step: what does the same work stands in one row, with the figures of both. */
export const Aligned = ({ found }: Props) => (
  <DataTable
    id="plans-aligned"
    label="Both plans, step by step"
    columns={COLUMNS}
    rows={aligned(found)}
    rowKey={(row) => String(row.place)}
    sort={{ by: "place", descending: false }}
    mark={(row) => (row.words ? "font-semibold" : undefined)}
    className="mt-2"
  />
);

const named = (step: Step | null): string => (step ? `${step.kind} ${step.target}`.trim() : "no such step");

const both = (row: AlignedStep, of: (step: Step) => number | null, say: (value: number) => string): string => {
  const told = [row.before, row.after].map((step) => {
    const value = step ? of(step) : null;
    return value === null ? "–" : say(value);
  });
  return told[0] === told[1] ? (told[0] ?? "") : told.join(" → ");
};

const pages = (value: number): string => (value === 0 ? "0" : bytes(value * PAGE_BYTES));
const change = (row: AlignedStep, of: (step: Step) => number | null): number | null => {
  const [one, other] = [row.before, row.after].map((step) => (step ? of(step) : null));
  return one == null && other == null ? null : (other ?? 0) - (one ?? 0);
};

const figure = (
  id: string,
  heading: string,
  title: string,
  of: (step: Step) => number | null,
  say: (value: number) => string,
): Column<AlignedStep> => ({
  id,
  heading,
  title: `${title}; sorted by the change`,
  align: "right",
  value: (row) => change(row, of),
  show: (row) => both(row, of, say),
});

const COLUMNS: Column<AlignedStep>[] = [
  { id: "place", heading: "#", title: "in the order in which rows flow", align: "right", value: (row) => row.place },
  {
    id: "step",
    heading: "step",
    wide: true,
    value: (row) => named(row.before ?? row.after),
    show: (row) => (
      <span style={{ paddingLeft: Math.min(row.depth, 12) * 10 }}>
        {named(row.before) === named(row.after) ? named(row.before) : `${named(row.before)} → ${named(row.after)}`}
        {row.words ? <span className="text-accent block font-normal">{row.words}</span> : null}
      </span>
    ),
  },
  figure("own", "own time", "time of the step itself, first plan → second", (step) => step.own_ms, duration),
  figure(
    "rows",
    "rows, actual",
    "actual rows of one run, first plan → second",
    (step) => step.rows,
    (n) => count(Math.round(n)),
  ),
  figure(
    "expected",
    "expected",
    "rows estimated",
    (step) => step.rows_planned,
    (n) => count(Math.round(n)),
  ),
  figure("read", "read", "pages it read itself from the disk or the system", (step) => step.read, pages),
  figure("hit", "buffer hits", "pages it found in the server's memory", (step) => step.hit, pages),
  figure(
    "cost",
    "cost",
    "the planner's, with the steps below it",
    (step) => step.cost,
    (n) => count(Math.round(n)),
  ),
];
