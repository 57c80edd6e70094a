// How long nobody has touched the page: a page that is left open must not keep a sign-in alive by asking again.

let touched = Date.now();

/** Notes each key and each move of the pointer; once, at the start. */
export function watchForSomebody(on: Pick<Window, "addEventListener"> = window): void {
  for (const kind of ["keydown", "pointerdown", "pointermove", "wheel", "focus"]) {
    on.addEventListener(kind, () => (touched = Date.now()), { passive: true });
  }
}

/** Whole seconds since then. */
export const idleSeconds = (now = Date.now()): number => Math.max(0, Math.round((now - touched) / 1000));
