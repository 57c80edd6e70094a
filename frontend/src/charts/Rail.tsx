import { useMemo } from "react";

import { stamp, span } from "../lib/time";
import { type LoadLike, waterline } from "./geometry/waterline";
import { spreadOut } from "./geometry/labels";
import { TimeAxis } from "./TimeAxis";
import { useRailDrag } from "./useRailDrag";
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

/** A small arrow at an edge: the picture goes on beyond it. */
const cutMark = (from: number, to: number, edge: number, inwards: 1 | -1): string => {
  const [middle, half] = [(from + to) / 2, Math.max(2.5, (to - from) / 2)];
  return `M${(middle - half).toFixed(1)} ${edge + 3 * inwards}L${middle.toFixed(1)} ${edge}L${(middle + half).toFixed(1)} ${edge + 3 * inwards}Z`;
};

/** The longer history with the window on it. Drag the window, its edges, or a new one; a mark leads to what it tells. */
export const Rail = <Mark extends RailMark>({ load, window, marks, now, onWindow, onMark }: Props<Mark>) => {
  const [ref, size] = useSize<HTMLDivElement>();
  const shape = useMemo(
    () => (load && size.width ? waterline(load, { width: size.width, height: HEIGHT }, null, true) : null),
    [load, size.width],
  );
  const [start, end] = [load?.start ?? now - 86_400_000, load?.end ?? now];
  const { x, shown, pointer } = useRailDrag({ start, end, now, window, width: size.width, onWindow });
  const [x0, x1] = [Math.max(0, x(shown.from)), Math.min(size.width, Math.max(x(shown.to), x(shown.from) + 3))];

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
        {...pointer}
      >
        {shape ? <History shape={shape} width={size.width} /> : null}
        <TimeAxis from={start} to={end} width={size.width} y={HEIGHT} now={now} apart={110} />
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
        <Handle x0={x0} x1={x1} />
      </svg>
      {size.width ? <Buttons marks={marks} places={places} onMark={onMark} /> : null}
    </div>
  );
};

type Shape = ReturnType<typeof waterline>;

/** The small waterline of the whole history; an arrow marks what goes on beyond its edges. */
const History = ({ shape, width }: { readonly shape: Shape; readonly width: number }) => (
  <>
    {shape.layers.map(({ key, path }) => (
      <path key={key} d={path} fill={`var(--${key})`} opacity="0.8" />
    ))}
    <line x2={width} y1={shape.line} y2={shape.line} stroke="var(--strong)" strokeWidth="0.75" />
    {shape.cut.map(({ from, to, side }) => (
      <path
        key={`${from}-${side}`}
        d={cutMark(from, to, side === "up" ? 0 : HEIGHT, side === "up" ? 1 : -1)}
        fill="var(--ink)"
        data-rail-cut={side}
      >
        <title>{side === "up" ? "more ran here than is shown" : "more waited here than is shown"}</title>
      </path>
    ))}
  </>
);

/** The window: a frame to be moved, with a grip at each edge. */
const Handle = ({ x0, x1 }: { readonly x0: number; readonly x1: number }) => (
  <>
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
  </>
);

interface ButtonsProps<Mark extends RailMark> {
  readonly marks: readonly Mark[];
  readonly places: readonly number[];
  readonly onMark: (mark: Mark) => void;
}

const Buttons = <Mark extends RailMark>({ marks, places, onMark }: ButtonsProps<Mark>) =>
  marks.map((mark, i) => (
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
  ));
