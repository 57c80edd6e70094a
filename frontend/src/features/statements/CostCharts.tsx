import type { Schemas } from "../../api/client";
import { Lines } from "../../charts/Lines";
import { PAGE_BYTES, bytes, count, duration } from "../../lib/units";

type Series = readonly (number | null)[];

interface Props {
  readonly statement: Schemas["StatementOut"];
  readonly marks: readonly { readonly at: number; readonly label: string }[];
  readonly axis: {
    readonly starts: readonly number[];
    readonly bucketMs: number;
    readonly start: number;
    readonly end: number;
    readonly now: number;
  };
}

const pages = (value: number): string => bytes(value * PAGE_BYTES);
const perSecond = (value: number): string => `${count(Number(value.toPrecision(3)))}/s`;
const few = (value: number): string => count(Number(value.toPrecision(3)));

/** Calls and what each cost, over time, against what is usual at that hour. What was nought throughout is only named. */
export const CostCharts = ({ statement, marks, axis }: Props) => {
  const { per_call: cost, usual_per_call: usual } = statement;
  const charts: readonly { title: string; values: Series; say: (value: number) => string; usual: Series }[] = [
    { title: "calls per second", values: statement.calls_per_s, say: perSecond, usual: statement.usual_calls_per_s },
    { title: "time per call", values: cost.total_ms, say: duration, usual: usual.total_ms },
    { title: "rows per call", values: cost.rows, say: few, usual: usual.rows },
    { title: "blocks read per call", values: cost.blocks_read, say: pages, usual: usual.blocks_read },
    { title: "buffer hits per call", values: cost.blocks_hit, say: pages, usual: usual.blocks_hit },
    { title: "temp written per call", values: cost.temp_written, say: pages, usual: usual.temp_written },
    { title: "WAL per call", values: cost.wal_bytes, say: bytes, usual: usual.wal_bytes },
    { title: "plan time per call", values: cost.plan_ms, say: duration, usual: usual.plan_ms },
  ];
  const there = (values: Series): boolean => values.some((value) => (value ?? 0) > 0);
  const shown = charts.filter((chart, i) => i < 2 || there(chart.values) || there(chart.usual));
  const none = charts.filter((chart) => !shown.includes(chart)).map((chart) => chart.title.replace(" per call", ""));
  return (
    <>
      <div className="mt-3 grid grid-cols-2 gap-x-6 gap-y-3">
        {shown.map((chart) => (
          <div key={chart.title} className="h-[112px]">
            <Lines
              title={chart.title}
              values={chart.values}
              say={chart.say}
              usual={chart.usual}
              {...(chart.title === "time per call" ? { marks } : {})}
              {...axis}
            />
          </div>
        ))}
      </div>
      <p className="text-muted pt-1 text-sm">
        {none.length ? `None of these in this window: ${none.join(", ")}. ` : ""}
        {statement.usual_days > 0
          ? "Dashed: usual at this hour, the median of earlier days."
          : "Too few earlier days are known to say what is usual."}
      </p>
    </>
  );
};
