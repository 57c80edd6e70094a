import { createContext, memo, useContext, useLayoutEffect, useRef, useSyncExternalStore } from "react";

import { type CellSource, paint } from "./paint";

/** Whether marks must be elements of the svg, since it is about to be saved as a file. */
export const AsElements = createContext(false);

interface Props {
  readonly cells: CellSource; // the same one as long as nothing changed, or all is painted again
  readonly width: number;
  readonly height: number;
}

/** Thousands of marks, painted. Lies under the svg of its chart, which has all that moves. */
export const CellCanvas = memo(({ cells, width, height }: Props) => {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useSyncExternalStore(watchTheme, () => document.documentElement.dataset["theme"] ?? "");
  useLayoutEffect(() => {
    return canvas.current ? paint(canvas.current, cells, { width, height }) : undefined;
  }, [cells, width, height, theme]);
  return <canvas ref={canvas} aria-hidden="true" className="absolute top-0 left-0" style={{ width, height }} />;
});
CellCanvas.displayName = "CellCanvas";

/** The same marks inside the svg; nothing unless it is about to be saved. */
export const CellElements = ({ cells }: { readonly cells: CellSource }) =>
  useContext(AsElements)
    ? [...cells()].map(({ opacity, ...cell }, i) => (
        <rect key={i} {...cell} {...(opacity === undefined ? {} : { fillOpacity: opacity })} />
      ))
    : null;

function watchTheme(changed: () => void): () => void {
  const observer = new MutationObserver(changed);
  observer.observe(document.documentElement, { attributeFilter: ["data-theme"] });
  return () => observer.disconnect();
}
