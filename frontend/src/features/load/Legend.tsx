import { OTHERS } from "../../charts/geometry/stacks";
import { DIMENSIONS, type DimensionName, isDimension } from "../../lib/dimensions";
import type { PickMode } from "../../lib/trail";
import { sessions, share } from "../../lib/units";
import { Choice } from "../../ui/Choice";
import type { LegendRow } from "./model";

interface Props {
  readonly rows: readonly LegendRow[];
  readonly split: DimensionName;
  readonly dimmed: readonly string[];
  readonly onSplit: (split: DimensionName) => void;
  readonly onPick: (value: string, mode: PickMode) => void;
}

const SPLITS = ["kind", ...Object.keys(DIMENSIONS).filter((name) => name !== "kind")].filter(isDimension);
const OPTIONS = SPLITS.map((value) => ({ value, label: DIMENSIONS[value] }));

/** The layers' names with their load, in the order of the layers; a click narrows to one. */
export const Legend = ({ rows, split, dimmed, onSplit, onPick }: Props) => (
  <div>
    <p className="text-muted mb-0.5">
      layers: <Choice label="what the layers are" value={split} options={OPTIONS} onChange={onSplit} />
    </p>
    <ul aria-label="Layers">
      {rows.map((row) => (
        <li key={row.key} className={row.key === "running" ? "border-ink mb-1 border-b pb-1" : ""}>
          <button
            type="button"
            disabled={row.key === OTHERS}
            title={row.label}
            onClick={(event) => onPick(row.key, event.altKey ? "exclude" : event.shiftKey ? "add" : "only")}
            className={`hover:bg-raised flex w-full items-center gap-2 rounded-sm text-left ${dimmed.includes(row.key) ? "opacity-50" : ""} ${row.share > 0.4 ? "font-semibold" : ""}`}
          >
            <svg width="12" height="12" aria-hidden="true" className="shrink-0">
              <rect width="12" height="12" fill={row.fill} />
            </svg>
            <span className="grow truncate">{row.label}</span>
            <span>{sessions(row.sessions)}</span>
            <span className="text-muted w-9 shrink-0 text-right">{share(row.share)}</span>
          </button>
        </li>
      ))}
    </ul>
  </div>
);
