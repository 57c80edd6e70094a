import type { Schemas } from "../../api/client";
import { kindFill } from "../../charts/kinds";
import type { PickMode } from "../../lib/trail";
import { sessions, share } from "../../lib/units";
import { barParts } from "./model";

interface Props {
  readonly column: Schemas["ColumnOut"];
  readonly onPick: (value: string, mode: PickMode) => void;
}

const AXIS = 30; // percent of the width that running may take, to the left of the axis

/** The window as a whole: what took most, ranked, running to one side and waiting to the other. */
export const TotalView = ({ column, onPick }: Props) => {
  const most = Math.max(...column.rows.map((row) => row.sessions), 0);
  if (column.rows.length === 0) return <p className="text-muted pt-4">Nobody was active in this window.</p>;
  return (
    <ol aria-label="The window in total" className="h-full overflow-y-auto pt-1">
      {column.rows.map((row) => (
        <li key={row.value}>
          <button
            type="button"
            title={row.full}
            className="hover:bg-raised grid w-full grid-cols-[minmax(0,280px)_minmax(0,1fr)_120px] items-center gap-3 py-0.5 text-left"
            onClick={(event) => onPick(row.value, event.altKey ? "exclude" : event.shiftKey ? "add" : "only")}
          >
            <span className={`truncate ${column.dimension === "statement" ? "font-mono text-xs" : ""}`}>
              {row.label}
            </span>
            <svg width="100%" height="14" aria-hidden="true" preserveAspectRatio="none">
              {barParts(row.by_kind, most, AXIS).map((part) => (
                <rect
                  key={part.kind}
                  x={`${part.from}%`}
                  width={`${part.width}%`}
                  height="14"
                  fill={kindFill(part.kind)}
                />
              ))}
              <line x1={`${AXIS}%`} x2={`${AXIS}%`} y2="14" stroke="var(--ink)" />
            </svg>
            <span className="text-right">
              {sessions(row.sessions)} <span className="text-muted text-sm">{share(row.share, row.share_margin)}</span>
            </span>
          </button>
        </li>
      ))}
    </ol>
  );
};
