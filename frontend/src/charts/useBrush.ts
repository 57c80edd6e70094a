import { type KeyboardEvent, type PointerEvent, useState } from "react";

import { type LoadLike, bucketAt } from "./geometry/waterline";

export interface Region {
  readonly first: number; // buckets, both inside
  readonly last: number;
}

interface Brush {
  readonly cursor: number | null; // the bucket that is read out
  readonly region: Region | null; // what is drawn so far
  readonly onKey: (event: KeyboardEvent) => void;
  readonly pointer: {
    readonly onPointerDown: (event: PointerEvent<SVGSVGElement>) => void;
    readonly onPointerMove: (event: PointerEvent<SVGSVGElement>) => void;
    readonly onPointerUp: () => void;
  };
  readonly leave: () => void; // the pointer went elsewhere
  readonly blur: () => void; // the keys go elsewhere
}

const CLICK_PX = 4;

/** Reads a chart bucket by bucket, and draws a window on it, with the pointer or with the keys.
 *
 * Arrow keys move the cursor, with Shift they draw from where it was; Enter takes what is drawn, Escape lets it go.
 * `left` is where the plot begins inside the svg, in pixels. */
export function useBrush(
  load: LoadLike,
  width: number,
  left: number,
  onBrush: (from: number, to: number) => void,
): Brush {
  const [cursor, setCursor] = useState<number | null>(null);
  const [anchor, setAnchor] = useState<number | null>(null);
  const [pressed, setPressed] = useState<number | null>(null); // where the pointer went down, in pixels
  const most = load.starts.length - 1;
  const shown = cursor === null || most < 0 ? null : Math.min(cursor, most);
  const region =
    anchor === null || shown === null ? null : { first: Math.min(anchor, shown), last: Math.max(anchor, shown) };
  const px = (event: PointerEvent<SVGSVGElement>): number =>
    Math.max(0, Math.min(width, event.clientX - event.currentTarget.getBoundingClientRect().left - left));
  const take = (): void => {
    const [from, last] = [load.starts[region?.first ?? -1], load.starts[region?.last ?? -1]];
    setAnchor(null);
    if (from !== undefined && last !== undefined)
      onBrush(Math.max(from, load.start), Math.min(last + load.bucket_ms, load.end));
  };
  const onKey = (event: KeyboardEvent): void => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const acts = region !== null && (event.key === "Enter" || event.key === "Escape");
    if (by === undefined && !acts) return;
    event.preventDefault();
    if (by === undefined) {
      if (event.key === "Enter") take();
      else setAnchor(null);
      return;
    }
    const next = Math.max(0, Math.min(most, (shown ?? (by > 0 ? -1 : most + 1)) + by));
    setAnchor(event.shiftKey ? (anchor ?? shown ?? next) : null);
    setCursor(next);
  };
  return {
    cursor: shown,
    region,
    onKey,
    pointer: {
      onPointerDown: (event) => {
        if (event.button !== 0) return; // the others have menus of their own
        event.currentTarget.setPointerCapture(event.pointerId);
        setPressed(px(event));
        setAnchor(null);
      },
      onPointerMove: (event) => {
        const at = px(event);
        setCursor(bucketAt(load, at, width));
        if (pressed !== null && Math.abs(at - pressed) >= CLICK_PX) setAnchor(bucketAt(load, pressed, width));
      },
      onPointerUp: () => {
        setPressed(null);
        if (pressed !== null) take();
      },
    },
    leave: () => {
      setCursor(null);
      if (pressed === null) setAnchor(null);
    },
    blur: () => {
      setCursor(null);
      setAnchor(null);
    },
  };
}
