import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { present, stamp, when } from "../../lib/time";
import { bounds, windowOf } from "../../lib/view";
import { ExactTimes } from "../../shell/ExactTimes";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { CompareSearch } from "./changes.route";
import { differenceWords, measured, readSpan, verdictClass } from "./model";
import { type Asked, type Compared, type Comparison, compareQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly search: CompareSearch;
  readonly onSearch: (change: Partial<CompareSearch>) => void;
}

const DAY_MS = 86_400_000;
const AGO: readonly (readonly [string, number])[] = [
  ["an hour earlier", 3_600_000],
  ["the same time yesterday", DAY_MS],
  ["the same time a week ago", 7 * DAY_MS],
];

/** The window beside one before it, or what was changed or handled beside what was before: what differs, how surely. */
export const ComparePage = ({ server, search, onSearch }: Props) => {
  const asked = askedOf(search, present());
  const found = useQuery(compareQuery(server, asked));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="the comparison">
        {(data) => (
          <>
            <h1 className={`text-base ${verdictClass(data.verdict)}`}>{data.sentence}</h1>
            <Ground data={data} />
            <Spans data={data} search={search} onSearch={onSearch} />
            {data.groups.map((group) => (
              <section key={group.key} aria-label={group.label} className="mt-4">
                <h2 className="font-semibold">{group.label}</h2>
                <DataTable
                  id={`compare-${group.key}`}
                  label={group.label}
                  columns={COLUMNS}
                  rows={group.measures}
                  rowKey={(one) => one.key}
                  sort={{ by: "chance", descending: false }}
                />
              </section>
            ))}
          </>
        )}
      </Answer>
    </div>
  );
};

/** What is asked for by the address: a number that is followed, or two windows; without one, the window before this one. */
function askedOf(search: CompareSearch, now: number): Asked {
  if (search.followed !== undefined) return { followed: search.followed };
  // Held still to the minute, so that a window that follows now is not asked for anew with each second.
  const exact = bounds(windowOf(search), Math.floor(now / 60_000) * 60_000);
  const length = exact.to - exact.from;
  const before = readSpan(search.before) ?? { from: exact.from - length, to: exact.from };
  return { before, after: exact, table: search.judged ?? "" };
}

/** On what the verdict rests, and when it can be told. */
const Ground = ({ data }: { readonly data: Comparison }) => (
  <p className="text-muted text-sm">
    {data.told_at === null ? "" : `It can be told from about ${when(data.told_at)} on. `}
    {data.main ? `By ${data.main.method_label}, 95% intervals; chances corrected for all that is compared. ` : ""}
    {data.reasons.map((one) => `${one.charAt(0).toUpperCase()}${one.slice(1)}. `).join("")}
  </p>
);

interface SpansProps {
  readonly data: Comparison;
  readonly search: CompareSearch;
  readonly onSearch: (change: Partial<CompareSearch>) => void;
}

/** Both windows, and another one before. */
const Spans = ({ data, search, onSearch }: SpansProps) => {
  const [typing, setTyping] = useState(false);
  const back = AGO.map(([label, ms]) => ({ value: `${data.start - ms}~${data.end - ms}`, label }));
  const length = data.end - data.start;
  const options = [{ value: "", label: "the window before" }, ...back.filter((_, i) => (AGO[i]?.[1] ?? 0) >= length)];
  const chosen = options.some((one) => one.value === (search.before ?? "")) ? (search.before ?? "") : "typed";
  return (
    <div className="mt-1 flex flex-wrap items-baseline gap-x-6 text-sm">
      <span>
        before: {stamp(data.before_start)} – {stamp(data.before_end)}
      </span>
      <span>
        after: {stamp(data.start)} – {stamp(data.end)}
      </span>
      {search.followed === undefined ? (
        <span>
          against{" "}
          <Choice
            label="the window before"
            value={chosen}
            options={chosen === "typed" ? [...options, { value: "typed", label: "another window" }] : options}
            onChange={(before) => onSearch({ before: before === "typed" ? (search.before ?? "") : before })}
          />{" "}
          <Button className="ml-2" onClick={() => setTyping(true)}>
            exact times
          </Button>
        </span>
      ) : (
        <Button onClick={() => onSearch({ followed: 0, before: "" })}>compare other windows</Button>
      )}
      {typing ? (
        <ExactTimes
          title="The window before"
          from={data.before_start}
          to={data.before_end}
          onClose={() => setTyping(false)}
          onWindow={(spec) => {
            const { from, to } = bounds(spec, present());
            onSearch({ before: `${Math.round(from)}~${Math.round(to)}` });
          }}
        />
      ) : null}
    </div>
  );
};

const chanceWords = (chance: number): string =>
  chance < 0.0001 ? "< 0.0001" : chance > 0.995 ? "1" : String(Number(chance.toPrecision(2)));

const COLUMNS: Column<Compared>[] = [
  {
    ...{ id: "label", heading: "what", wide: true, value: (one: Compared) => one.label },
    say: (one) => `${one.label}; ${one.method_label}`,
    show: (one) => (one.group === "statement" ? <span className="font-mono text-xs">{one.label}</span> : one.label),
  },
  {
    ...{ id: "before", heading: "before", align: "right", value: (one: Compared) => one.before },
    show: (one) => measured(one.before, one.unit),
  },
  {
    ...{ id: "after", heading: "after", align: "right", value: (one: Compared) => one.after },
    show: (one) => <b className="font-semibold">{measured(one.after, one.unit)}</b>,
  },
  {
    ...{ id: "change", heading: "difference", title: "with its 95% interval", align: "right" as const },
    value: (one) => one.change,
    show: differenceWords,
  },
  {
    ...{ id: "chance", heading: "by chance", align: "right" as const },
    title: "probability of as large a difference if nothing had changed, corrected for all that is compared",
    value: (one) => one.chance,
    show: (one) => chanceWords(one.chance),
  },
  {
    ...{ id: "verdict", heading: "verdict", value: (one: Compared) => one.verdict_label },
    show: (one) => <span className={verdictClass(one.verdict)}>{one.verdict_label}</span>,
  },
];
