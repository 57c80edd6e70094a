import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { clock, day, present } from "../../lib/time";
import { count, duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { recordingQuery, recordingsQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly canAct: boolean;
}

/** All waits of the next session of a program, and the recordings there are. */
export const Recordings = ({ server, canAct }: Props) => {
  const recordings = useQuery(recordingsQuery(server));
  const rows = recordings.data ?? [];
  const [program, setProgram] = useState("");
  const [open, setOpen] = useState<number | null>(null);
  const begin = useRecord(server, setOpen);
  return (
    <section aria-label="Recordings">
      <h2 className="border-strong border-b font-semibold">Recordings</h2>
      {canAct ? (
        <form
          className="flex items-center gap-2 py-1 text-sm"
          onSubmit={(event) => {
            event.preventDefault();
            begin.mutate({ minutes: 5, program });
          }}
        >
          <label>
            all waits of the next session of{" "}
            <input
              value={program}
              onChange={(event) => setProgram(event.target.value)}
              placeholder="program"
              aria-label="program to record"
              className="border-line bg-raised w-36 border px-1"
            />
          </label>
          <Button type="submit" disabled={!program.trim() || begin.isPending}>
            record 5 min
          </Button>
        </form>
      ) : null}
      {begin.error ? <Failure title="The recording did not begin" detail={begin.error.message} /> : null}
      <AnswerState of={recordings} what="recordings" />
      {recordings.data?.length === 0 ? (
        <p className="text-muted py-1 text-sm">
          None yet. A recording samples ten times a second for some minutes and sums what one session waited for.
        </p>
      ) : (
        <ul className="text-sm">
          {rows.slice(0, 8).map((one) => (
            <li key={one.id} className="border-line border-b py-0.5">
              <button
                type="button"
                aria-expanded={open === one.id}
                className="hover:text-accent text-left"
                onClick={() => setOpen((old) => (old === one.id ? null : one.id))}
              >
                {one.program ? `next session of ${one.program}` : `pid ${one.pid ?? "?"}`}, {day(one.start, present())}{" "}
                {clock(one.start)} – {clock(one.end)}, by {one.by}
              </button>
              {open === one.id ? <Recorded server={server} id={one.id} /> : null}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
};

/** Begins a recording; `onBegun` is told its number. */
export const useRecord = (server: number, onBegun: (id: number) => void) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { minutes: number; program?: string; pid?: number; started_s?: number }) =>
      ask(
        client.POST("/api/v1/servers/{server_id}/recordings", {
          params: { path: { server_id: server } },
          body: { program: "", confirmed: false, ...body },
        }),
      ),
    onSuccess: (made) => {
      onBegun(made.id);
      void queries.invalidateQueries({ queryKey: ["recordings", server] });
    },
  });
};

const Recorded = ({ server, id }: { readonly server: number; readonly id: number }) => {
  const recording = useQuery(recordingQuery(server, id));
  const found = recording.data;
  if (!found) return <AnswerState of={recording} what="the recording" />;
  const left = found.recording.end - found.now;
  return (
    <div className="py-1">
      <p className="text-muted">
        {found.recording.pid === null
          ? "No new session of this program has come yet."
          : `pid ${found.recording.pid} was seen at ${count(found.seen)} of ${count(found.ticks)} samples, ${duration(found.tick_ms)} apart.`}{" "}
        {left > 0 ? `${duration(left)} to go.` : ""}
      </p>
      <WaitTable waits={found.waits} tickMs={found.tick_ms} />
    </div>
  );
};

type Wait = Schemas["WaitSumOut"];

interface WaitTableProps {
  readonly waits: readonly Wait[];
  readonly tickMs: number;
}

/** Waits by event: how often, how long in all and at most, and what they mean. */
export const WaitTable = ({ waits, tickMs }: WaitTableProps) => (
  <DataTable
    id="wait-sums"
    label="what it did, summed"
    columns={waitColumns(tickMs)}
    rows={waits}
    rowKey={(one) => one.label}
    sort={{ by: "all", descending: true }}
  />
);

const waitColumns = (tickMs: number): Column<Wait>[] => [
  { id: "doing", heading: "doing", value: (one) => one.label },
  { id: "times", heading: "times", align: "right", value: (one) => one.count, show: (one) => count(one.count) },
  {
    ...{ id: "all", heading: "in all, about", align: "right" as const, value: (one: Wait) => one.ticks * tickMs },
    show: (one) => duration(one.ticks * tickMs),
  },
  {
    ...{ id: "longest", heading: "longest", align: "right" as const, value: (one: Wait) => one.longest * tickMs },
    show: (one) => duration(one.longest * tickMs),
  },
  {
    ...{
      id: "meaning",
      heading: "what it means",
      wide: true,
      value: (one: Wait) => `${one.meaning} ${one.hint}`.trim(),
    },
    show: (one) => (
      <span className="text-sm whitespace-normal">
        {one.meaning} {one.hint ? <i>{one.hint}</i> : null}
      </span>
    ),
  },
];
