import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { when } from "../../lib/time";
import { counted, duration } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { HistorySearch } from "./leads.route";
import { Handling } from "./Handling";
import { type History, MOST_LEADS, type State, historyQuery, isState } from "./queries";

interface Props {
  readonly server: number;
  readonly role: string;
  readonly search: HistorySearch;
  readonly onSearch: (change: Partial<HistorySearch>) => void;
}

const STATES = [
  { value: "", label: "all" },
  { value: "open", label: "open" },
  { value: "handled", label: "handled" },
  { value: "dismissed", label: "dismissed" },
] as const;

/** Leads that were found on a server, the same trouble once: how often it came, and what became of it. */
export const HistoryPage = ({ server, role, search, onSearch }: Props) => {
  const state = isState(search.state) ? search.state : null;
  const found = useQuery(historyQuery(server, state));
  const canAct = role === "operator" || role === "admin";
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="mb-1 flex items-baseline justify-between text-sm">
        <span className="text-muted">
          The newest samples are looked at every minute. The same trouble again is the same lead, whatever its figures.
        </span>
        <span>
          show{" "}
          <Choice
            label="leads that are"
            value={state ?? ""}
            options={STATES}
            onChange={(one) => onSearch({ state: one })}
          />
        </span>
      </div>
      <Answer of={found} what="the leads">
        {(rows) =>
          rows.length === 0 ? (
            <h1 className="text-base font-semibold">
              {state ? `No lead is ${state}.` : "No lead was found yet, in all the windows that were looked at."}
            </h1>
          ) : (
            <>
              <h1 className="text-base font-semibold">{historyWords(rows, state)}</h1>
              <DataTable
                id="lead-history"
                label="leads of this server"
                columns={columns(server, canAct)}
                rows={rows}
                rowKey={(one) => String(one.id)}
                sort={{ by: "last", descending: true }}
                rowPx={54}
              />
            </>
          )
        }
      </Answer>
    </div>
  );
};

/** How many leads are listed, and how many of them nobody has seen to, where all are listed. */
const historyWords = (rows: readonly History[], state: State | null): string => {
  const open = rows.filter((one) => one.state === "open").length;
  const all = rows.length < MOST_LEADS ? counted(rows.length, "lead") : `The ${rows.length} leads that were seen last`;
  if (state) return `${all}, ${state}`;
  return `${all}, ${open === rows.length ? "all open" : open ? `${open} open` : "none open"}`;
};

const columns = (server: number, canAct: boolean): Column<History>[] => [
  {
    ...{ id: "title", heading: "lead", wide: true, value: (one: History) => one.title },
    say: (one) => one.title,
    show: (one) => (
      <>
        <Newest server={server} of={one} />
        <div className="text-muted truncate text-sm">
          {one.label}
          {one.came_back === null ? "" : `, came back ${when(one.came_back)} after it was handled`}
        </div>
      </>
    ),
  },
  { ...{ id: "last", heading: "last seen", value: (one: History) => one.last }, show: (one) => when(one.last, false) },
  {
    ...{ id: "first", heading: "first seen", value: (one: History) => one.first },
    show: (one) => when(one.first, false),
  },
  {
    ...{ id: "times", heading: "how often", align: "right", value: (one: History) => one.times },
    say: (one) => one.spans.map((span) => `${when(span.start)}, for ${duration(span.end - span.start)}`).join("\n"),
    show: (one) => (one.times ? counted(one.times, "time") : "–"),
  },
  {
    ...{ id: "state", heading: "what became of it", value: (one: History) => one.state },
    show: (one) => <Handling server={server} of={one} canAct={canAct} />,
  },
];

/** To the window in which it was seen last. */
const Newest = ({ server, of }: { readonly server: number; readonly of: History }) => {
  const span = of.spans[0] ?? { start: of.first, end: of.last };
  return (
    <Link
      to="/servers/$server/leads"
      params={{ server: String(server) }}
      search={{ from: span.start, to: span.end }}
      className="text-accent font-semibold hover:underline"
    >
      {of.title}
    </Link>
  );
};
