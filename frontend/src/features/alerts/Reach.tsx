// Where and when a condition is looked at, as parts of its form.
import { useQuery } from "@tanstack/react-query";

import { serversQuery } from "../../api/queries";
import { AnswerState } from "../../ui/Answer";
import type { ConditionBody } from "./queries";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;
const FIELD = "border-line bg-raised border px-2";

interface Span {
  readonly days: readonly number[];
  readonly from: string;
  readonly to: string;
}

/** The first span of the week of a schedule, as the form shows it. */
export function firstSpan(schedule: ConditionBody["schedule"]): Span {
  const one = schedule?.[0] ?? {};
  const word = (value: unknown): string => (typeof value === "string" ? value : "");
  const days = Array.isArray(one["days"]) ? one["days"].filter((day): day is number => typeof day === "number") : [];
  return { days, from: word(one["from"]), to: word(one["to"]) };
}

/** What the form says of hours; several spans, which it cannot show, stay as they are. No day and no hour: always. */
export function readHours(form: FormData, before: ConditionBody["schedule"]): Record<string, unknown>[] {
  if ((before?.length ?? 0) > 1) return [...(before ?? [])];
  const days = form.getAll("day").map(Number);
  const [from, to] = (["hours-from", "hours-to"] as const).map((name) => {
    const value = form.get(name);
    return typeof value === "string" ? value.trim() : "";
  });
  if (days.length === 0 && !from && !to) return [];
  return [{ days: days.length ? days : DAYS.map((_, day) => day), from: from || "00:00", to: to || "24:00" }];
}

/** On which servers, and at which hours of the week. */
export const Reach = ({ before }: { readonly before: ConditionBody }) => {
  const servers = useQuery(serversQuery);
  const span = firstSpan(before.schedule);
  return (
    <>
      <span>servers</span>
      <span className="flex flex-wrap gap-x-4">
        {(servers.data?.servers ?? []).map((one) => (
          <label key={one.id} className="inline-flex min-h-6 items-center gap-1">
            <input type="checkbox" name="server" value={one.id} defaultChecked={before.servers?.includes(one.id)} />
            {one.name}
          </label>
        ))}
        {servers.data ? <input type="hidden" name="has-servers" value="yes" /> : null}
        {servers.error ? (
          <AnswerState of={servers} what="the servers" />
        ) : (
          <span className="text-muted">none chosen: all, or those of the groups</span>
        )}
      </span>
      <span>hours</span>
      {(before.schedule?.length ?? 0) > 1 ? (
        <span className="text-muted">several spans of the week; they are changed through the API</span>
      ) : (
        <span className="flex flex-wrap items-baseline gap-x-3">
          {DAYS.map((name, day) => (
            <label key={name} className="inline-flex min-h-6 items-center gap-1">
              <input type="checkbox" name="day" value={day} defaultChecked={span.days.includes(day)} />
              {name}
            </label>
          ))}
          from
          <input
            name="hours-from"
            aria-label="from hour"
            placeholder="00:00"
            defaultValue={span.from}
            className={`${FIELD} w-20`}
          />
          to
          <input
            name="hours-to"
            aria-label="to hour"
            placeholder="24:00"
            defaultValue={span.to}
            className={`${FIELD} w-20`}
          />
          <span className="text-muted">none chosen: always</span>
        </span>
      )}
    </>
  );
};

interface KindsProps {
  readonly kinds: Readonly<Record<string, string>>;
  readonly before: ConditionBody;
}

/** Of which kinds: leads, entries of the log, changes. */
export const Kinds = ({ kinds, before }: KindsProps) => (
  <details>
    <summary className="min-h-6">
      of {before.kinds?.length ? `${before.kinds.length} kinds` : "any kind"}
      <input type="hidden" name="has-kinds" value="yes" />
    </summary>
    <span className="flex max-w-3xl flex-wrap gap-x-4">
      {Object.entries(kinds).map(([value, label]) => (
        <label key={value} className="inline-flex min-h-6 items-center gap-1">
          <input type="checkbox" name="kind" value={value} defaultChecked={before.kinds?.includes(value)} />
          {label}
        </label>
      ))}
    </span>
  </details>
);
