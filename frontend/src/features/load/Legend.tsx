import { kindFill } from "../../charts/kinds";
import type { PickMode } from "../../lib/trail";
import { sessions, share } from "../../lib/units";
import { type LegendRow } from "./model";

interface Props {
  readonly rows: readonly LegendRow[];
  readonly dimmed: readonly string[];
  readonly onPick: (kind: string, mode: PickMode) => void;
}

/** The layers' names with their load, in the order of the layers; a click narrows to one. */
export const Legend = ({ rows, dimmed, onPick }: Props) => (
  <ul aria-label="Layers">
    {rows.map((row) => (
      <li key={row.kind} className={row.kind === "running" ? "border-ink mb-1 border-b pb-1" : ""}>
        <button
          type="button"
          onClick={(event) => onPick(row.kind, event.altKey ? "exclude" : event.shiftKey ? "add" : "only")}
          className={`hover:bg-raised flex w-full items-center gap-2 rounded-sm text-left ${dimmed.includes(row.kind) ? "opacity-50" : ""} ${row.share > 0.4 ? "font-semibold" : ""}`}
        >
          <svg width="12" height="12" aria-hidden="true">
            <rect width="12" height="12" fill={kindFill(row.kind)} />
          </svg>
          <span className="grow">{row.label}</span>
          <span>{sessions(row.sessions)}</span>
          <span className="text-muted w-9 text-right">{share(row.share)}</span>
        </button>
      </li>
    ))}
  </ul>
);
