import type { Schemas } from "../../api/client";
import { sessions } from "../../lib/units";
import { COMPARED } from "../../lib/view";
import type { LoadSearch } from "./load.route";
import { Choice } from "../../ui/Choice";

interface Props {
  readonly search: LoadSearch;
  readonly load: Schemas["LoadOut"] | undefined;
  readonly earlier: Schemas["LoadOut"] | undefined;
  readonly onSearch: (change: Partial<LoadSearch>) => void;
}

const OPTIONS = [
  { value: "", label: "nothing" },
  ...Object.entries(COMPARED).map(([value, { label }]) => ({ value, label: `the same hours ${label}` })),
];

/** What the window is compared with, and what is shown beside it. */
export const ViewChoices = ({ search, load, earlier, onSearch }: Props) => {
  const before = earlier?.total ?? null;
  const label = COMPARED[search.compare ?? ""]?.label;
  return (
    <span className="text-muted flex shrink-0 items-baseline gap-4">
      {label && load?.total !== undefined && load.total !== null ? (
        <span className="text-ink">
          {before === null
            ? `not sampled ${label}`
            : `${sessions(load.total)} sessions against ${sessions(before)} ${label}`}
        </span>
      ) : null}
      <span>
        compared with{" "}
        <Choice
          label="compare the window with"
          value={search.compare ?? ""}
          options={OPTIONS}
          onChange={(compare) => onSearch({ compare })}
        />
      </span>
      <button
        type="button"
        aria-pressed={search.under === "machine"}
        className={`hover:text-accent ${search.under === "machine" ? "text-ink font-semibold underline" : ""}`}
        onClick={() => onSearch({ under: search.under === "machine" ? "" : "machine" })}
      >
        machine
      </button>
    </span>
  );
};
