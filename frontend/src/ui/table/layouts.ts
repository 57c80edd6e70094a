// How a person wants to see tables. Where it is kept is the application's matter; without a keeper it lasts as long as the page.
import { createContext, useContext } from "react";

export interface Layout {
  readonly hidden: readonly string[];
  readonly shown: readonly string[]; // columns that are hidden unless asked for
  readonly widths: Readonly<Record<string, number>>; // px
}

export interface Layouts {
  readonly of: (table: string) => Layout;
  readonly keep: (table: string, layout: Layout) => void;
}

export const AS_IT_COMES: Layout = { hidden: [], shown: [], widths: {} };

export const LayoutsContext = createContext<Layouts>({ of: () => AS_IT_COMES, keep: () => undefined });

export const useLayouts = (): Layouts => useContext(LayoutsContext);

/** How this person wants to see one table, and what keeps another wish. */
export function useLayout(id: string) {
  const layouts = useLayouts();
  return { layout: layouts.of(id), keep: (layout: Layout) => layouts.keep(id, layout) };
}
