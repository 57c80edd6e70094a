import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { ExportMenu } from "../../charts/ExportMenu";
import { when } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Bars } from "./Bars";
import { EVENTS, nothingSentence } from "./model";
import { MOST_ENTRIES, eventsQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { SearchField } from "../../ui/SearchField";
import type { LogSearch } from "./deadlocks.route";

interface Props {
  readonly server: number;
  readonly search: LogSearch;
  readonly onSearch: (change: Partial<LogSearch>) => void;
}

/** What the server's log tells beside executions: grouped by shape, and one by one. */
export const EventsPage = ({ server, search, onSearch }: Props) => {
  const kinds = (search.kinds ?? []).filter((one) => one in EVENTS);
  const events = useQuery(eventsQuery(server, windowOf(search), kinds, search.text ?? "", search.pick ?? []));
  const found = events.data;
  const toggle = (kind: string): void =>
    onSearch({ kinds: kinds.includes(kind) ? kinds.filter((one) => one !== kind) : [...kinds, kind] });
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 text-sm">
        {Object.entries(EVENTS).map(([kind, label]) => (
          <button
            key={kind}
            type="button"
            aria-pressed={kinds.includes(kind)}
            className={kinds.includes(kind) ? "font-semibold underline" : "text-muted hover:text-accent"}
            onClick={() => toggle(kind)}
          >
            {label}
          </button>
        ))}
        <SearchField
          label="words in the message"
          placeholder="words in the message"
          value={search.text ?? ""}
          onChange={(text) => onSearch({ text })}
          className="ml-auto w-56"
        />
      </div>
      <AnswerState of={events} what="the log" />
      {found ? <Lists server={server} found={found} /> : null}
    </div>
  );
};

const Lists = ({ server, found }: { readonly server: number; readonly found: Schemas["EventsOut"] }) => (
  <>
    <div className="flex items-baseline justify-between gap-4 pt-1">
      <h1 className="text-base font-semibold">
        {found.total === 0
          ? nothingSentence("The log has no such entry", found.log, found.end)
          : `${count(found.total)} ${found.total === 1 ? "entry" : "entries"} of the log, of ${found.shapes.length} ${found.shapes.length === 1 ? "kind" : "kinds"}.`}
      </h1>
      <ExportMenu
        name="log events"
        table={() => ({
          columns: ["at", "kind", "pid", "program", "user", "message", "statement"],
          rows: found.newest.map((one) => [
            new Date(one.at).toISOString(),
            one.kind,
            one.pid,
            one.program,
            one.user,
            one.message,
            one.statement,
          ]),
        })}
      />
    </div>
    {found.shapes.length ? (
      <DataTable
        id="log-shapes"
        label="Entries of the log by shape"
        columns={shapeColumns(server)}
        rows={found.shapes}
        rowKey={(one) => `${one.kind}-${one.message}`}
        sort={{ by: "times", descending: true }}
      />
    ) : (
      <p className="text-muted mt-1">
        Lock waits, timeouts, cancelled statements, refused connections and errors are listed here.
      </p>
    )}
    {found.newest.length ? (
      <section className="mt-4" aria-label="One by one">
        <h2 className="border-strong border-b font-semibold">One by one, the newest first</h2>
        {found.newest.some((one) => one.message.includes("?")) ? (
          <p className="text-muted text-sm">
            A ? stands for a value. Where the server&apos;s settings keep values, operators see them here.
          </p>
        ) : null}
        <DataTable
          id="log-entries"
          label="entries of the log, one by one"
          columns={entryColumns(server)}
          rows={found.newest}
          most={MOST_ENTRIES}
          rowKey={(one) => `${one.at}-${one.pid}-${one.message}`}
          sort={{ by: "", descending: true }}
        />
      </section>
    ) : null}
  </>
);

const entryColumns = (server: number): Column<Schemas["EventOut"]>[] => [
  { id: "at", heading: "at", value: (one) => one.at, show: (one) => <TapeAt server={server} one={one} /> },
  { id: "who", heading: "program", value: (one) => one.program || one.user },
  { id: "pid", heading: "pid", align: "right", optional: true, value: (one) => one.pid },
  {
    ...{ id: "message", heading: "what", wide: true, value: (one: Schemas["EventOut"]) => one.message },
    show: (one) => (
      <div className="whitespace-normal">
        {one.message}
        {one.statement ? (
          <span className="block truncate font-mono text-xs" title={one.statement}>
            {one.query_id === null ? (
              one.statement
            ) : (
              <Link
                to="/servers/$server/statements/$query"
                params={{ server: String(server), query: one.query_id }}
                className="hover:text-accent"
              >
                {one.statement}
              </Link>
            )}
          </span>
        ) : null}
      </div>
    ),
  },
  {
    ...{ id: "statement", heading: "statement", optional: true, value: (one: Schemas["EventOut"]) => one.statement },
    show: (one) => <span className="font-mono text-xs">{one.statement}</span>,
  },
];

const shapeColumns = (server: number): Column<Schemas["ShapeOut"]>[] => [
  {
    id: "what",
    heading: "what",
    wide: true,
    value: (one) => `${EVENTS[one.kind] ?? one.kind}: ${one.message}`,
    say: (one) => one.message,
    show: (one) => (
      <>
        <b className="font-semibold">{EVENTS[one.kind] ?? one.kind}</b> {one.message}
      </>
    ),
  },
  { id: "times", heading: "times", align: "right", value: (one) => one.count, show: (one) => count(one.count) },
  {
    id: "series",
    heading: "over time",
    value: (one) => one.count,
    show: (one) => <Bars series={one.series} label={`${one.count} times`} />,
  },
  { id: "programs", heading: "programs", value: (one) => one.programs.join(", ") },
  {
    id: "waited",
    heading: "waited",
    align: "right",
    value: (one) => one.waited_ms,
    show: (one) => (one.waited_ms === null ? "" : duration(one.waited_ms)),
  },
  {
    id: "last",
    heading: "last",
    value: (one) => one.last.at,
    show: (one) => <TapeAt server={server} one={one.last} />,
  },
];

const TapeAt = ({ server, one }: { readonly server: number; readonly one: Schemas["EventOut"] }) => (
  <Link
    to="/servers/$server/sessions/$pid"
    params={{ server: String(server), pid: String(one.pid) }}
    search={{ from: one.at - 60_000, to: one.at + 15_000 }}
    className="hover:text-accent underline decoration-dotted"
    title={`the tape of pid ${one.pid} around this second`}
  >
    {when(one.at)}
  </Link>
);
