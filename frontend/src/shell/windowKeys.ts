// Keys that move the window. Held down they move it in steps one can follow, and leave one entry in the history.
import { useEffect, useState } from "react";

import { present } from "../lib/time";
import { type WindowSpec, bounds, scaled, stepped } from "../lib/view";
import { useShortcuts } from "../ui/useShortcuts";

const APART_MS = 150; // between two windows that are shown
const ONE_MOVE_MS = 1200; // steps that follow each other as closely are one move

type Show = (window: WindowSpec, replace: boolean) => void;

/** Steps that come faster than they can be shown: they add up, and the last one is always shown. */
class Steps {
  private wanted: WindowSpec | null = null;
  private shownAt = 0;
  private timer: ReturnType<typeof setTimeout> | null = null;

  move(from: WindowSpec, to: (from: WindowSpec, now: number) => WindowSpec, show: Show): void {
    this.wanted = to(this.wanted ?? from, present());
    if (this.timer !== null) return;
    const since = present() - this.shownAt;
    if (since >= APART_MS) this.settle(show);
    else this.timer = setTimeout(() => this.settle(show), APART_MS - since);
  }

  stop(): void {
    if (this.timer !== null) clearTimeout(this.timer);
    this.timer = null;
  }

  private settle(show: Show): void {
    this.timer = null;
    if (!this.wanted) return;
    show(this.wanted, present() - this.shownAt < ONE_MOVE_MS);
    this.shownAt = present();
    this.wanted = null;
  }
}

/** `[` `]` step the window, `-` `=` widen and narrow it, `0` follows now. */
export function useWindowKeys(spec: WindowSpec, show: Show): void {
  const [steps] = useState(() => new Steps());
  useEffect(() => () => steps.stop(), [steps]);
  const move = (to: (from: WindowSpec, now: number) => WindowSpec) => () => steps.move(spec, to, show);
  useShortcuts({
    "[": move((from, now) => stepped(from, -1, now)),
    "]": move((from, now) => stepped(from, 1, now)),
    "-": move((from, now) => scaled(from, 2, now)),
    "=": move((from, now) => scaled(from, 0.5, now)),
    "0": move((from, now) => ({ last: Math.round((bounds(from, now).to - bounds(from, now).from) / 1000) })),
  });
}
