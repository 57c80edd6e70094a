import { type RefObject, useEffect, useRef } from "react";

/** Keeps the keyboard where the reader was: when what had the focus is gone, the nearest that is left takes it.
 *
 * `selector` names what can have it; the element itself takes it where none of those is left. */
export function useKeptFocus<T extends HTMLElement>(selector: string): RefObject<T | null> {
  const root = useRef<T>(null);
  const place = useRef<number | null>(null); // of the focus among them; null: it is elsewhere
  useEffect(() => {
    const element = root.current;
    if (!element) return undefined;
    const come = (event: FocusEvent): void => {
      const all: readonly unknown[] = [...element.querySelectorAll(selector)];
      place.current = all.indexOf(event.target);
    };
    const go = (event: FocusEvent): void => {
      // What is taken off the page loses the focus too, but to nobody.
      if (event.relatedTarget !== null || (event.target as Node).isConnected) place.current = null;
    };
    const press = (event: PointerEvent): void => {
      if (event.target instanceof Node && !element.contains(event.target)) place.current = null;
    };
    element.addEventListener("focusin", come);
    element.addEventListener("focusout", go);
    window.addEventListener("pointerdown", press);
    return () => {
      element.removeEventListener("focusin", come);
      element.removeEventListener("focusout", go);
      window.removeEventListener("pointerdown", press);
    };
  }, [selector]);
  useEffect(() => {
    const element = root.current;
    if (place.current === null || !element || document.activeElement !== document.body) return;
    const left = element.querySelectorAll<HTMLElement>(selector);
    (left[Math.min(Math.max(place.current, 0), left.length - 1)] ?? element).focus();
  });
  return root;
}
