import { X } from "lucide-react";

import { DIMENSIONS, isDimension } from "../lib/dimensions";
import { readPick } from "../lib/trail";
import { useKeptFocus } from "../ui/useKeptFocus";

interface Props {
  readonly trail: readonly string[];
  readonly words: (dimension: string, value: string) => string;
  readonly onTrail: (trail: string[]) => void;
  readonly narrows?: readonly string[] | undefined; // dimensions that narrow the view shown; none given: all
}

/** The picks made so far; each can be taken back. Those that cannot narrow the view that is shown say so. */
export const Trail = ({ trail, words, onTrail, narrows }: Props) => {
  const root = useKeptFocus<HTMLElement>("button");
  return (
    <nav
      ref={root}
      tabIndex={-1}
      aria-label="Trail"
      className="outline-none flex min-h-6 flex-wrap items-center gap-1 text-sm"
    >
      <span className="text-muted mr-1">Trail</span>
      {trail.length === 0 ? (
        <span>all load</span>
      ) : (
        <button type="button" className="hover:text-accent" onClick={() => onTrail([])}>
          all load
        </button>
      )}
      {trail.map((text) => {
        const pick = readPick(text);
        const dimension = isDimension(pick.dimension) ? DIMENSIONS[pick.dimension].toLowerCase() : pick.dimension;
        const applies = narrows === undefined || narrows.includes(pick.dimension);
        const name = `${dimension}${pick.exclude ? " is not" : ""}: ${words(pick.dimension, pick.value)}`;
        return (
          <span key={text} className="flex items-center gap-1">
            <span className="text-muted" aria-hidden="true">
              ›
            </span>
            <span
              className="bg-line flex max-w-96 items-center gap-1 rounded-sm px-1.5"
              title={applies ? undefined : "this view has no such dimension: its figures are not narrowed by this pick"}
            >
              <span className={`truncate ${applies ? "" : "text-muted line-through"}`}>{name}</span>
              {applies ? null : <span className="text-muted shrink-0">does not apply</span>}
              <button
                type="button"
                aria-label={`remove ${name}`}
                className="hover:text-accent grid min-w-6 place-items-center"
                onClick={() => onTrail(trail.filter((one) => one !== text))}
              >
                <X size={12} aria-hidden="true" />
              </button>
            </span>
          </span>
        );
      })}
    </nav>
  );
};
