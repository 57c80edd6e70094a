import { ChevronLeft, ChevronRight } from "lucide-react";
import { Suspense, lazy, useState } from "react";

import { present, span } from "../lib/time";
import { type WindowSpec, bounds, follows, stepped } from "../lib/view";

const ExactTimes = lazy(() => import("./ExactTimes").then((m) => ({ default: m.ExactTimes })));

const SPANS = [
  [60, "1 min"],
  [300, "5 min"],
  [900, "15 min"],
  [3600, "1 h"],
  [21_600, "6 h"],
  [86_400, "24 h"],
] as const;

interface Props {
  readonly spec: WindowSpec;
  readonly now: number;
  readonly onWindow: (spec: WindowSpec) => void;
}

/** The window in words; steps, common spans and exact times. */
export const WindowPicker = ({ spec, now, onWindow }: Props) => {
  const [open, setOpen] = useState(false);
  const { from, to } = bounds(spec, now);
  const words = span(from, to, now);
  const long = words.length > (follows(spec) ? 24 : 17); // beside the way back to now there is less room
  const look = words.length > 25 ? "text-left text-xs leading-3" : "text-[13px] whitespace-nowrap"; // in two lines, or one
  return (
    <div>
      <div className="flex items-center justify-between">
        <button
          type="button"
          className={`hover:text-accent font-semibold ${long ? `font-condensed ${look}` : "whitespace-nowrap"}`}
          title="exact times"
          onClick={() => setOpen(true)}
        >
          {words}
        </button>
        <span className="flex items-center">
          <button
            type="button"
            aria-label="earlier"
            title="earlier  ["
            className="hover:text-accent grid w-6 place-items-center"
            onClick={() => onWindow(stepped(spec, -1, now))}
          >
            <ChevronLeft size={16} aria-hidden="true" />
          </button>
          <button
            type="button"
            aria-label="later"
            title="later  ]"
            className="hover:text-accent grid w-6 place-items-center"
            onClick={() => onWindow(stepped(spec, 1, present()))}
          >
            <ChevronRight size={16} aria-hidden="true" />
          </button>
          <button
            type="button"
            aria-pressed={follows(spec)}
            title="follow now  0"
            className={`font-condensed ml-1 border px-1 text-xs whitespace-nowrap ${follows(spec) ? "border-accent text-accent" : "border-line hover:border-strong"}`}
            onClick={() => onWindow({ last: Math.round((to - from) / 1000) })}
          >
            {follows(spec) ? "following" : "follow now"}
          </button>
        </span>
      </div>
      <div className="font-condensed mt-0.5 flex justify-between">
        {SPANS.map(([seconds, label]) => (
          <button
            key={seconds}
            type="button"
            className={`hover:text-accent ${follows(spec) && spec.last === seconds ? "font-semibold underline" : "text-muted"}`}
            onClick={() => onWindow({ last: seconds })}
          >
            {label}
          </button>
        ))}
      </div>
      <Suspense fallback={null}>
        {open ? <ExactTimes from={from} to={to} onClose={() => setOpen(false)} onWindow={onWindow} /> : null}
      </Suspense>
    </div>
  );
};
