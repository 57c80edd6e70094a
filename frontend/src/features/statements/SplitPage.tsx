import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Suspense, lazy, useState } from "react";

import type { Schemas } from "../../api/client";
import { count, duration } from "../../lib/units";
import { present, span } from "../../lib/time";
import { follows, windowOf } from "../../lib/view";
import { Choice } from "../../ui/Choice";
import { type Against, type Span, splitQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { SplitSearch } from "./statements.route";

interface Props {
  readonly server: number;
  readonly search: SplitSearch;
  readonly onSearch: (change: Partial<SplitSearch>) => void;
}

const AGAINST: readonly { readonly value: Against; readonly label: string }[] = [
  { value: "previous", label: "the window before" },
  { value: "day", label: "the same hours yesterday" },
  { value: "week", label: "the same hours a week ago" },
];

const CHOICES = [...AGAINST, { value: "window", label: "another window …" }] as const;
const HOUR_MS = 3_600_000;

const usualAgainst = (text: string | undefined): Against =>
  AGAINST.find((one) => one.value === text)?.value ?? "previous";

/** Two moments as the address holds them; null for what is none. */
export function readSpan(text: string | undefined): Span | null {
  const [from, to, ...more] = (text ?? "").split("~").map(Number);
  const right = from !== undefined && to !== undefined && more.length === 0 && from >= 0 && from < to;
  return right && Number.isSafeInteger(from) && Number.isSafeInteger(to) ? { from, to } : null;
}

const ExactTimes = lazy(() => import("../../shell/ExactTimes").then((m) => ({ default: m.ExactTimes })));

/** Why the time in statements changed: parts that add up, and the statements behind them. */
export const SplitPage = ({ server, search, onSearch }: Props) => {
  const other = readSpan(search.other);
  const against = search.against === "window" && other ? other : usualAgainst(search.against);
  const split = useQuery(splitQuery(server, windowOf(search), against, search.pick ?? []));
  const found = split.data;
  return (
    <div className={`pane px-6 pt-2 pb-6 ${split.isPlaceholderData ? "opacity-50" : ""}`}>
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{found?.sentence ?? "Why the time in statements changed"}</h1>
        <AgainstChoice against={against} found={found} onSearch={onSearch} />
      </div>
      <AnswerState of={split} what="the two windows" />
      {found ? (
        <>
          <h2 className="mt-3 font-semibold">Time in statements, each second</h2>
          <Steps
            unit=" a second"
            steps={[
              ["before", found.before, null],
              [found.volume < 0 ? "fewer calls" : "more calls", found.volume, "all statements alike"],
              ["another mix", found.mix, "other statements than before"],
              [found.cost < 0 ? "cheaper calls" : "dearer calls", found.cost, "the same statements"],
              ["now", found.after, null],
            ]}
          />
          {found.reads_before > 0 || found.reads_after > 0 ? (
            <>
              <h2 className="mt-4 font-semibold">
                Of it, waiting for reads{" "}
                <Link
                  to="/servers/$server/load"
                  params={{ server: String(server) }}
                  search={{ by: "read" } as never}
                  className="text-accent ml-2 text-sm font-normal hover:underline"
                >
                  whose reads
                </Link>
              </h2>
              <Steps
                unit=" a second"
                steps={[
                  ["before", found.reads_before, null],
                  [found.by_count < 0 ? "fewer reads" : "more reads", found.by_count, "blocks from outside memory"],
                  [found.by_latency < 0 ? "quicker reads" : "slower reads", found.by_latency, "the storage"],
                  ["now", found.reads_after, null],
                ]}
              />
            </>
          ) : null}
          <Parts found={found} server={server} search={search} />
        </>
      ) : null}
    </div>
  );
};

interface AgainstProps {
  readonly against: Against | Span;
  readonly found: Schemas["SplitOut"] | undefined;
  readonly onSearch: Props["onSearch"];
}

/** What the window is compared with: one that lies a fixed time before it, or any other. */
const AgainstChoice = ({ against, found, onSearch }: AgainstProps) => {
  const [choosing, setChoosing] = useState(false);
  return (
    <span className="shrink-0 text-sm">
      against{" "}
      <Choice
        label="compared with"
        value={typeof against === "string" ? against : "window"}
        options={CHOICES}
        onChange={(value) => (value === "window" ? setChoosing(true) : onSearch({ against: value }))}
      />
      {typeof against === "string" ? null : (
        <button type="button" className="text-accent ml-2 hover:underline" onClick={() => setChoosing(true)}>
          {span(against.from, against.to, present())}
        </button>
      )}
      <Suspense fallback={null}>
        {choosing ? (
          <ExactTimes
            title="Compare with"
            from={found?.other_start ?? present() - HOUR_MS}
            to={found?.other_end ?? present()}
            onClose={() => setChoosing(false)}
            onWindow={(window) => {
              if (!follows(window)) onSearch({ against: "window", other: `${window.from}~${window.to}` });
            }}
          />
        ) : null}
      </Suspense>
    </span>
  );
};

interface StepsProps {
  readonly unit: string;
  readonly steps: readonly (readonly [string, number, string | null])[];
}

/** From before to now, part by part: each bar begins where the one above it ends. */
const Steps = ({ unit, steps }: StepsProps) => {
  const ends: { label: string; from: number; to: number; words: string; whole: boolean; value: number }[] = [];
  let at = 0;
  for (const [label, value, words] of steps) {
    const whole = words === null;
    ends.push({ label, value, words: words ?? "", whole, from: whole ? 0 : at, to: whole ? value : at + value });
    at = whole ? value : at + value;
  }
  const all = ends.flatMap((one) => [one.from, one.to]);
  const least = Math.min(...all, 0);
  const most = Math.max(...all, 1e-9) - least;
  return (
    <table className="w-full">
      <tbody>
        {ends.map((one) => (
          <tr key={one.label} className="border-line border-b">
            <th className={`w-40 py-1 text-left ${one.whole ? "font-semibold" : "font-normal"}`}>{one.label}</th>
            <td className="py-1">
              <svg width="100%" height="14" aria-hidden="true">
                <rect
                  x={`${((Math.min(one.from, one.to) - least) / most) * 100}%`}
                  width={`${Math.max(0.15, (Math.abs(one.to - one.from) / most) * 100)}%`}
                  height="14"
                  fill={one.whole ? "var(--running)" : one.value > 0 ? "var(--strong)" : "var(--ground)"}
                  stroke={one.value < 0 ? "var(--strong)" : "none"}
                  strokeDasharray="3 2"
                />
              </svg>
            </td>
            <td className="w-36 pl-3 text-right font-semibold whitespace-nowrap">
              {one.whole || one.value <= 0 ? "" : "+"}
              {duration(one.value)}
              <span className="text-muted font-normal">{unit}</span>
            </td>
            <td className="text-muted w-56 pl-4 text-sm">{one.words}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
};

const cost = (ms: number | null): string => (ms === null ? "–" : duration(ms));
const rate = (n: number): string => `${count(Number(n.toPrecision(3)))}/s`;
// Below a microsecond a second it is arithmetic, not work.
const signed = (ms: number): string => (Math.abs(ms) < 0.001 ? "0" : `${ms > 0 ? "+" : ""}${duration(ms)}`);

interface PartsProps {
  readonly found: Schemas["SplitOut"];
  readonly server: number;
  readonly search: SplitSearch;
}

type Part = Schemas["SplitOut"]["parts"][number];

const PARTS: Column<Part>[] = [
  {
    ...{
      id: "statement",
      heading: "statement",
      wide: true,
      value: (part: Part) => part.label,
      say: (part: Part) => part.label,
    },
    show: (part) => <span className="font-mono text-xs">{part.label}</span>,
  },
  {
    ...{ id: "change", heading: "change, each second", align: "right" as const, value: (part: Part) => part.change },
    show: (part) => <b className="font-semibold">{signed(part.change)}</b>,
  },
  {
    ...{ id: "by_calls", heading: "by calls", align: "right" as const, value: (part: Part) => part.by_calls },
    show: (part) => signed(part.by_calls),
  },
  {
    ...{ id: "by_cost", heading: "by cost of a call", align: "right" as const, value: (part: Part) => part.by_cost },
    show: (part) => signed(part.by_cost),
  },
  {
    ...{ id: "calls", heading: "calls before → now", align: "right" as const, value: (part: Part) => part.after_calls },
    show: (part) => `${rate(part.before_calls)} → ${rate(part.after_calls)}`,
  },
  {
    ...{
      id: "cost",
      heading: "per call before → now",
      align: "right" as const,
      value: (part: Part) => part.after_cost,
    },
    show: (part) => `${cost(part.before_cost)} → ${cost(part.after_cost)}`,
  },
];

const Parts = ({ found, server, search }: PartsProps) => (
  <section className="mt-4">
    <h2 className="font-semibold">Which statements changed most</h2>
    <DataTable
      id="split"
      label="cause split"
      columns={PARTS}
      rows={found.parts}
      rowKey={(part) => part.query_id}
      sort={{ by: "", descending: true }}
      link={(part, words, className) => (
        <Link
          to="/servers/$server/statements/$query"
          params={{ server: String(server), query: part.query_id }}
          search={search}
          className={className}
        >
          {words}
        </Link>
      )}
    />
    {found.rest !== 0 ? <p className="text-muted py-1">all others together: {signed(found.rest)} each second</p> : null}
  </section>
);
