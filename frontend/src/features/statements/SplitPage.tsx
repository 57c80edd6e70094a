import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Choice } from "../../ui/Choice";
import { type Against, splitQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
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

/** Why the time in statements changed: parts that add up, and the statements behind them. */
export const SplitPage = ({ server, search, onSearch }: Props) => {
  const against = AGAINST.find((one) => one.value === search.against)?.value ?? "previous";
  const split = useQuery(splitQuery(server, windowOf(search), against));
  const found = split.data;
  return (
    <div className={`pane px-6 pt-2 pb-6 ${split.isPlaceholderData ? "opacity-50" : ""}`}>
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{found?.sentence ?? "Why the time in statements changed"}</h1>
        <span className="shrink-0 text-sm">
          against{" "}
          <Choice
            label="compared with"
            value={against}
            options={AGAINST}
            onChange={(value) => onSearch({ against: value })}
          />
        </span>
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
              <h2 className="mt-4 font-semibold">Of it, waiting for reads</h2>
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

const Parts = ({ found, server, search }: PartsProps) => (
  <table className="font-condensed mt-4 w-full">
    <caption className="pb-1 text-left font-semibold">
      Which statements changed most{" "}
      <ExportMenu
        name="cause split"
        table={() => ({
          columns: ["statement", "change ms/s", "by calls", "by cost", "calls/s before", "calls/s now"],
          rows: found.parts.map((p) => [p.label, p.change, p.by_calls, p.by_cost, p.before_calls, p.after_calls]),
        })}
      />
    </caption>
    <thead>
      <tr className="border-strong text-muted border-b text-right">
        <th className="text-left font-normal">statement</th>
        <th className="pl-3 font-normal">change, each second</th>
        <th className="pl-3 font-normal">by calls</th>
        <th className="pl-3 font-normal">by cost of a call</th>
        <th className="pl-3 font-normal">calls before → now</th>
        <th className="pl-3 font-normal">per call before → now</th>
      </tr>
    </thead>
    <tbody>
      {found.parts.map((part) => (
        <tr key={part.query_id} className="border-line hover:bg-raised border-b text-right whitespace-nowrap">
          <td className="max-w-0 w-2/5 truncate text-left">
            <Link
              to="/servers/$server/statements/$query"
              params={{ server: String(server), query: part.query_id }}
              search={search}
              className="hover:text-accent font-mono text-xs leading-6 inline-block max-w-full truncate align-middle"
              title={part.label}
            >
              {part.label}
            </Link>
          </td>
          <td className="pl-3 font-semibold">{signed(part.change)}</td>
          <td className="pl-3">{signed(part.by_calls)}</td>
          <td className="pl-3">{signed(part.by_cost)}</td>
          <td className="pl-3">
            {rate(part.before_calls)} → {rate(part.after_calls)}
          </td>
          <td className="pl-3">
            {cost(part.before_cost)} → {cost(part.after_cost)}
          </td>
        </tr>
      ))}
      {found.rest !== 0 ? (
        <tr className="text-muted text-right">
          <td className="text-left">all others together</td>
          <td className="pl-3">{signed(found.rest)}</td>
          <td colSpan={4} />
        </tr>
      ) : null}
    </tbody>
  </table>
);
