import { type PointerEvent, useState } from "react";

interface Span {
  readonly from: number;
  readonly to: number;
}

interface Asked {
  readonly start: number; // of the history that is shown
  readonly end: number;
  readonly now: number;
  readonly window: Span;
  readonly width: number; // pixels
  readonly onWindow: (from: number, to: number) => void;
}

const MOVED_PX = 3; // a smaller movement is a click
const NEAR_PX = 5; // of an edge, so that it is what is moved
const LEAST_MS = 10_000;

type Grip = "move" | "from" | "to" | "new";

/** Moves the window of a rail, one of its edges, or draws a new one. `x` is where a moment stands. */
export function useRailDrag({ start, end, now, window, width, onWindow }: Asked) {
  const [drag, setDrag] = useState<(Span & { grip: Grip; origin: number; moved: boolean }) | null>(null);
  const length = end - start;
  const x = (at: number): number => ((at - start) / length) * width;
  const moment = (event: PointerEvent<SVGSVGElement>): number =>
    start + ((event.clientX - event.currentTarget.getBoundingClientRect().left) / width) * length;
  const gripAt = (at: number): Grip => {
    const near = (edge: number): boolean => Math.abs(x(at) - x(edge)) < NEAR_PX;
    if (near(window.from)) return "from";
    if (near(window.to)) return "to";
    return at > window.from && at < window.to ? "move" : "new";
  };
  const pointer = {
    onPointerDown: (event: PointerEvent<SVGSVGElement>): void => {
      if (event.button !== 0) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      const at = moment(event);
      const grip = gripAt(at);
      setDrag({ grip, origin: at, moved: false, ...(grip === "new" ? { from: at, to: at } : window) });
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>): void => {
      if (!drag) return;
      const at = Math.min(end, Math.max(start, moment(event)));
      const moved = drag.moved || Math.abs(x(at) - x(drag.origin)) >= MOVED_PX;
      setDrag({ ...drag, ...spanOf(drag.grip, window, drag.origin, at), moved });
    },
    onPointerUp: (): void => {
      if (!drag) return;
      const clicked = drag.grip === "new" && x(drag.to) - x(drag.from) < MOVED_PX;
      // A click puts a window of the present length around the moment.
      const half = (window.to - window.from) / 2;
      const span = clicked ? { from: drag.origin - half, to: Math.min(now, drag.origin + half) } : drag;
      // Resting on a window that follows now must not hold it: the window has moved on meanwhile, the pointer has not.
      if (drag.grip === "new" || drag.moved) onWindow(Math.round(span.from), Math.round(span.to));
      setDrag(null);
    },
  };
  return { x, shown: drag ?? window, pointer };
}

function spanOf(grip: Grip, window: Span, origin: number, at: number): Span {
  const by = at - origin;
  return {
    move: { from: window.from + by, to: window.to + by },
    from: { from: Math.min(at, window.to - LEAST_MS), to: window.to },
    to: { from: window.from, to: Math.max(at, window.from + LEAST_MS) },
    new: { from: Math.min(at, origin), to: Math.max(at, origin) },
  }[grip];
}
