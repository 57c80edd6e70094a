import { useEffect, useRef } from "react";

const OFF = "faena-shortcuts"; // "off" in the browser's own memory

/** Whether single keys act in this browser. Whoever speaks to the machine, or trembles, switches them off. */
export const shortcutsOn = (): boolean => localStorage.getItem(OFF) !== "off";

export const switchShortcuts = (on: boolean): void => {
  if (on) localStorage.removeItem(OFF);
  else localStorage.setItem(OFF, "off");
};

/** On some layouts [ ] and others need AltGr, which the browser tells as Ctrl and Alt together. */
const isCommand = (event: KeyboardEvent): boolean =>
  event.metaKey || ((event.ctrlKey || event.altKey) && !event.getModifierState("AltGraph"));

type Act = (event: KeyboardEvent) => unknown;

/** Keys to acts. None fires while typing, with a modifier, while a dialog or list is open, or where they are switched off.
 *
 * An act that returns false leaves the key to others. `first`: these are asked before what is on the page sees the key. */
export function useShortcuts(acts: Readonly<Record<string, Act>>, first = false): void {
  const latest = useRef(acts);
  useEffect(() => {
    latest.current = acts;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (isCommand(event) || event.defaultPrevented || !shortcutsOn()) return;
      const target = event.target instanceof HTMLElement ? event.target : null;
      if (target?.closest("input, textarea, select, [contenteditable], [role=listbox], [role=menu], [role=dialog]"))
        return;
      const act = latest.current[event.key];
      if (!act || act(event) === false) return;
      event.preventDefault();
      if (first) event.stopPropagation();
    };
    window.addEventListener("keydown", onKey, first);
    return () => {
      window.removeEventListener("keydown", onKey, first);
    };
  }, [first]);
}
