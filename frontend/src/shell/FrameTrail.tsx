import { useQuery } from "@tanstack/react-query";

import { sieveQuery } from "../api/queries";
import { isDimension } from "../lib/dimensions";
import { readPick } from "../lib/trail";
import { type Base, windowOf } from "../lib/view";
import { Trail } from "./Trail";

interface Props {
  readonly server: number;
  readonly search: Base;
  readonly narrows: readonly string[];
  readonly onTrail: (pick: string[]) => void;
}

/** The trail above views that do not show it by themselves; only where something was picked. */
export const FrameTrail = ({ server, search, narrows, onTrail }: Props) => {
  const trail = search.pick ?? [];
  const dimensions = [...new Set(trail.map((text) => readPick(text).dimension))].filter(isDimension);
  // What was picked is always among a column's rows, with its words.
  const sieve = useQuery({
    ...sieveQuery(server, windowOf(search), trail, dimensions, 1),
    enabled: dimensions.length > 0,
    meta: { againMs: false },
  });
  if (trail.length === 0) return null;
  const words = (dimension: string, value: string): string =>
    sieve.data?.columns.find((one) => one.dimension === dimension)?.rows.find((row) => row.value === value)?.label ??
    value;
  return (
    <div className="border-line border-b px-6 py-0.5">
      <Trail trail={trail} words={words} onTrail={onTrail} narrows={narrows} />
    </div>
  );
};
