import { type PointerEvent, useMemo, useState } from "react";

import { stamp, span } from "../lib/time";
import { timeTicks } from "./geometry/axis";
import { type LoadLike, waterline } from "./geometry/waterline";
import { spreadOut } from "./geometry/labels";
import { useSize } from "./useSize";

export interface RailMark {
  readonly at: number;
  readonly until: number;
  readonly label: string;
  readonly detail: string;
}

interface Props<Mark extends RailMark> {
  readonly load: LoadLike | undefined;
  readonly window: { readonly from: number; readonly to: number };
  readonly marks: readonly Mark[];
  readonly now: number;
  readonly onWindow: (from: number, to: number) => void;
  readonly onMark: (mark: Mark) => void;
}

const HEIGHT = 34;
const MOVED_PX = 3; // a smaller movement is a click
type Grip = "move" | "from" | "to" | "new";

/** A small arrow at an edge: the picture goes on beyond it. */
const cutMark = (from: number, to: number, edge: number, inwards: 1 | -1): string => {
  const [middle, half] = [(from + to) / 2, Math.max(2.5, (to - from) / 2)];
  return `M${(middle - half).toFixed(1)} ${edge + 3 * inwards}L${middle.toFixed(1)} ${edge}L${(middle + half).toFixed(1)} ${edge + 3 * inwards}Z`;
};

/** The longer history with the window on it. Drag the window, its edges, or a new one; a mark leads to what it tells. */
export const Rail = <Mark extends RailMark>({ load, window, marks, now, onWindow, onMark }: Props<Mark>) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const [drag, setDrag] = useState<{ grip: Grip; origin: number; moved: boolean; from: number; to: number } | null>(
    null,
  );
  const shape = useMemo(
    () => (load && size.width ? waterline(load, { width: size.width, height: HEIGHT }, null, true) : null),
    [load, size.width],
  );
  const [start, end] = [load?.start ?? now - 86_400_000, load?.end ?? now];
  const length = end - start;
  const x = (at: number): number => ((at - start) / length) * size.width;
  const moment = (event: PointerEvent<SVGSVGElement>): number =>
    start + ((event.clientX - event.currentTarget.getBoundingClientRect().left) / size.width) * length;
  const shown = drag ?? window;
  const [x0, x1] = [Math.max(0, x(shown.from)), Math.min(size.width, Math.max(x(shown.to), x(shown.from) + 3))];

  const down = (event: PointerEvent<SVGSVGElement>): void => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const at = moment(event);
    const near = (edge: number): boolean => Math.abs(x(at) - x(edge)) < 5;
    const grip: Grip = near(window.from)
      ? "from"
      : near(window.to)
        ? "to"
        : at > window.from && at < window.to
          ? "move"
          : "new";
    setDrag({ grip, origin: at, moved: false, ...(grip === "new" ? { from: at, to: at } : window) });
  };
  const move = (event: PointerEvent<SVGSVGElement>): void => {
    if (!drag) return;
    const at = Math.min(end, Math.max(start, moment(event)));
    const by = at - drag.origin;
    const span = {
      move: { from: window.from + by, to: window.to + by },
      from: { from: Math.min(at, window.to - 10_000), to: window.to },
      to: { from: window.from, to: Math.max(at, window.from + 10_000) },
      new: { from: Math.min(at, drag.origin), to: Math.max(at, drag.origin) },
    }[drag.grip];
    setDrag({ ...drag, ...span, moved: drag.moved || Math.abs(x(at) - x(drag.origin)) >= MOVED_PX });
  };
  const up = (): void => {
    if (!drag) return;
    const clicked = drag.grip === "new" && x(drag.to) - x(drag.from) < 3;
    // A click puts a window of the present length around the moment.
    const half = (window.to - window.from) / 2;
    const span = clicked ? { from: drag.origin - half, to: Math.min(now, drag.origin + half) } : drag;
    // Resting on a window that follows now must not hold it: the window has moved on meanwhile, the pointer has not.
    if (drag.grip === "new" || drag.moved) onWindow(Math.round(span.from), Math.round(span.to));
    setDrag(null);
  };

  // Each can be pressed by itself; where they would cover each other they stand beside their time, which a line marks.
  const places = spreadOut(
    marks.map((mark) => x(mark.at)),
    24,
    size.width,
  );
  return (
    <div ref={ref} className="relative h-[58px]">
      <svg
        width={size.width}
        height={58}
        className="block touch-none select-none"
        role="img"
        aria-label={`History from ${stamp(start)}; the window is ${span(window.from, window.to, now)}. Keys: [ and ] step it, - and = make it wider and narrower.`}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
      >
        {shape?.layers.map(({ key, path }) => (
          <path key={key} d={path} fill={`var(--${key})`} opacity="0.8" />
        ))}
        {shape ? (
          <line x2={size.width} y1={shape.line} y2={shape.line} stroke="var(--strong)" strokeWidth="0.75" />
        ) : null}
        {shape?.cut.map(({ from, to, side }) => (
          <path
            key={`${from}-${side}`}
            d={cutMark(from, to, side === "up" ? 0 : HEIGHT, side === "up" ? 1 : -1)}
            fill="var(--ink)"
            data-rail-cut={side}
          >
            <title>{side === "up" ? "more ran here than is shown" : "more waited here than is shown"}</title>
          </path>
        ))}
        {timeTicks(start, end, size.width, now, 110).map(({ at, x: tx, label }) => (
          <text key={at} x={tx + 3} y={HEIGHT + 13} fontSize="11" fill="var(--muted)">
            {label}
          </text>
        ))}
        {marks.map((mark) => (
          <line
            key={`${mark.at}${mark.label}`}
            x1={x(mark.at)}
            x2={x(mark.at)}
            y1={HEIGHT}
            y2={HEIGHT + 4}
            stroke="var(--strong)"
          />
        ))}
        <rect
          x={x0}
          y={0.75}
          width={Math.max(3, x1 - x0)}
          height={HEIGHT + 1}
          fill="var(--accent)"
          fillOpacity="0.07"
          stroke="var(--ink)"
          strokeWidth="1.5"
          className="cursor-grab"
          data-rail-window
        />
        {[x0, x1].map((edge, i) => (
          <rect
            key={i}
            x={edge - 2}
            y={HEIGHT / 2 - 8}
            width={4}
            height={16}
            fill="var(--ink)"
            className="cursor-ew-resize"
          />
        ))}
      </svg>
      {size.width
        ? marks.map((mark, i) => (
            <button
              key={`${mark.at}${mark.label}`}
              type="button"
              className="text-strong hover:text-accent absolute grid size-6 items-end justify-center"
              style={{ left: (places[i] ?? 0) - 12, top: HEIGHT }}
              title={`${stamp(mark.at)} ${mark.label}: ${mark.detail}`}
              aria-label={`${stamp(mark.at)} ${mark.label}: ${mark.detail}`}
              onClick={() => onMark(mark)}
            >
              <svg width="14" height="12" className="block" aria-hidden="true">
                <path d="M7 2L11 9H3Z" fill="currentColor" />
              </svg>
            </button>
          ))
        : null}
    </div>
  );
};
