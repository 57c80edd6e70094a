import { Plus, X } from "lucide-react";

import { DAYS, type ScheduleSpan } from "./model";

interface Props {
  readonly spans: readonly ScheduleSpan[];
  readonly disabled: boolean;
  readonly wrong: boolean;
  readonly onSpans: (spans: ScheduleSpan[]) => void;
}

const NEW: ScheduleSpan = { days: [0, 1, 2, 3, 4], from: "08:00", to: "18:00" };

/** The spans of the week in which the server is sampled; none means always. */
export const Schedule = ({ spans, disabled, wrong, onSpans }: Props) => {
  const change = (at: number, next: ScheduleSpan | null): void =>
    onSpans(spans.flatMap((one, i) => (i === at ? (next ? [next] : []) : [one])));
  return (
    <fieldset disabled={disabled} className="mt-2">
      <legend className={wrong ? "text-danger" : ""}>
        {spans.length ? "sampled only in these spans, in UTC" : "sampled always"}{" "}
        <button
          type="button"
          className="text-muted hover:text-accent inline-flex items-center gap-0.5 text-sm"
          onClick={() => onSpans([...spans, NEW])}
        >
          <Plus size={12} aria-hidden="true" /> span
        </button>
      </legend>
      {spans.map((span, at) => (
        <div key={at} className="flex items-center gap-2 py-0.5">
          {DAYS.map((label, day) => (
            <button
              key={label}
              type="button"
              aria-pressed={span.days.includes(day)}
              className={`font-condensed text-sm ${span.days.includes(day) ? "font-semibold underline" : "text-muted"}`}
              onClick={() =>
                change(at, {
                  ...span,
                  days: span.days.includes(day) ? span.days.filter((d) => d !== day) : [...span.days, day].sort(),
                })
              }
            >
              {label}
            </button>
          ))}
          {(["from", "to"] as const).map((edge) => (
            <label key={edge} className="text-sm">
              {edge}{" "}
              <input
                value={span[edge]}
                onChange={(event) => change(at, { ...span, [edge]: event.target.value })}
                className="border-line bg-raised w-14 border px-1"
              />
            </label>
          ))}
          <button
            type="button"
            aria-label="remove this span"
            className="text-muted hover:text-accent"
            onClick={() => change(at, null)}
          >
            <X size={12} aria-hidden="true" />
          </button>
        </div>
      ))}
    </fieldset>
  );
};
