// What is on the screen and could be kept as evidence: each chart, table and lead offers itself while it is shown.
import { useEffect, useRef } from "react";

import type { Table } from "./tableFile";

/** A lead of a window, which is kept with its chain. */
export interface KeptLead {
  readonly server: number;
  readonly start: number;
  readonly end: number;
  readonly identity: string;
}

/** What is kept: as it is at this moment. */
export interface Piece {
  readonly title: string;
  readonly sentence: string;
  readonly svg?: string;
  readonly figures?: Table;
  readonly lead?: KeptLead;
}

export interface Offer {
  readonly title: string;
  readonly make: () => Piece;
  /** Whether this is where the focus is. */
  readonly holds?: (element: Element) => boolean;
}

/** What the screen is about, so that one finds the case from there. */
export interface Subject {
  readonly about: "lead" | "alert" | "pattern" | "statement" | "change";
  readonly key: string;
  readonly title: string;
}

class Shown<T> {
  private readonly all = new Set<{ readonly current: T }>();
  readonly list = (): T[] => [...this.all].map((one) => one.current);
  readonly add = (one: { readonly current: T }): (() => void) => {
    this.all.add(one);
    return () => this.all.delete(one);
  };
}

const offers = new Shown<Offer>();
const subjects = new Shown<Subject | null>();

/** What is on the screen, the part with the focus first. */
export function offered(): Offer[] {
  const focus = document.activeElement;
  const all = offers.list();
  const first = focus ? all.filter((one) => one.holds?.(focus)) : [];
  return [...first, ...all.filter((one) => !first.includes(one))];
}

export const subjectsShown = (): Subject[] => subjects.list().filter((one) => one !== null);

function useShown<T>(shown: Shown<T>, value: T): void {
  const latest = useRef(value);
  useEffect(() => {
    latest.current = value;
  });
  useEffect(() => shown.add(latest), [shown]);
}

export const useOffer = (offer: Offer): void => useShown(offers, offer);

/** Tells what the screen is about; null while that is not known yet. */
export const useSubject = (subject: Subject | null): void => useShown(subjects, subject);

const MOST_ROWS = 2000;
const MOST_COLUMNS = 60;
const LARGEST_SVG = 1_900_000;

/** A piece that the server takes: what is too large is left out, and that is said. */
export function fitting(piece: Piece): Piece {
  const { svg, figures, ...rest } = piece;
  const left: string[] = [];
  if (svg !== undefined && svg.length > LARGEST_SVG) left.push("its picture is too large to be kept");
  if (figures && figures.rows.length > MOST_ROWS)
    left.push(`of its ${figures.rows.length} rows the first ${MOST_ROWS}`);
  return {
    ...rest,
    sentence: [piece.sentence, ...left].filter(Boolean).join("; ").slice(0, 2000),
    ...(svg !== undefined && svg.length <= LARGEST_SVG ? { svg } : {}),
    ...(figures ? { figures: trimmed(figures) } : {}),
  };
}

const trimmed = (table: Table): Table => ({
  columns: table.columns.slice(0, MOST_COLUMNS),
  rows: table.rows.slice(0, MOST_ROWS).map((row) => row.slice(0, MOST_COLUMNS)),
});
