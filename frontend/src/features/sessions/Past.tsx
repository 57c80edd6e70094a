import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { clock, stamp } from "../../lib/time";
import { count } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { keyOf } from "../../charts/sessions";
import { findQuery } from "./queries";
import type { SessionsSearch } from "./sessions.route";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { readSort, writeSort } from "../../ui/table/table";
import type { Column } from "../../ui/table/columns";
import { databaseColumn, pidColumn, programColumn, statementColumn } from "./columns";

interface Props {
  readonly server: number;
  readonly search: SessionsSearch;
  readonly onSearch: (change: Partial<SessionsSearch>) => void;
}

/** Everybody who was there in the window. */
export const Past = ({ server, search, onSearch }: Props) => {
  const errors = search.failed === "only";
  const found = useQuery(findQuery(server, windowOf(search), search.find ?? "", errors, search.pick ?? []));
  const data = found.data;
  if (!data) return <AnswerState of={found} what="the sessions of this window" />;
  return (
    <>
      <AnswerState of={found} what="the sessions of this window" />
      <div className="flex items-baseline justify-between gap-4 py-1">
        <h1 className="text-base font-semibold">
          {data.total === 0
            ? "No session of this window matches."
            : `${count(data.total)} ${data.total === 1 ? "session" : "sessions"} of this window${search.find ? " match" : ""}, those with errors and lock waits first.`}
        </h1>
        <label className="shrink-0 text-sm">
          <input
            type="checkbox"
            checked={errors}
            onChange={(event) => onSearch({ failed: event.target.checked ? "only" : "" })}
          />{" "}
          only with errors in the log
        </label>
      </div>
      <DataTable
        id="sessions-past"
        label="Sessions of the window"
        columns={pastColumns(server)}
        rows={data.sessions}
        rowKey={keyOf}
        sort={readSort(search.order, "errors")}
        onSort={(sort) => onSearch({ order: writeSort(sort) })}
      />
      {data.total > data.sessions.length ? (
        <p className="text-muted text-sm">
          and {count(data.total - data.sessions.length)} more; narrow the window or the words.
        </p>
      ) : null}
    </>
  );
};

const pastColumns = (server: number): Column<Schemas["SeenOut"]>[] => [
  pidColumn(server),
  programColumn(),
  { id: "client", heading: "client", value: (one) => one.client },
  {
    id: "seen",
    heading: "seen",
    value: (one) => one.first,
    show: (one) => `${stamp(one.first)} – ${clock(one.last)}`,
  },
  { id: "seconds", heading: "seconds", align: "right", value: (one) => one.ticks, show: (one) => count(one.ticks) },
  {
    id: "locks",
    heading: "waited for locks",
    title: "seconds",
    align: "right",
    value: (one) => one.lock_ticks,
    show: (one) => (one.lock_ticks ? <b>{count(one.lock_ticks)}</b> : ""),
  },
  {
    id: "errors",
    heading: "errors",
    align: "right",
    value: (one) => one.errors,
    show: (one) => (one.errors ? <b>{count(one.errors)}</b> : ""),
  },
  { id: "mostly", heading: "mostly", value: (one) => one.main_wait },
  databaseColumn(),
  statementColumn(server, "last statement"),
];
