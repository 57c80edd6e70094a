import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { machineQuery, serversQuery } from "../../api/queries";
import { Tracks } from "../../charts/Tracks";
import { machineTracks } from "../../charts/machineTracks";
import { stamp, present } from "../../lib/time";
import { bytes, duration } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { coresToTry } from "./model";
import { diskQuery, tablesQuery, whatIfQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import { CORES, NEIGHBOURS, PROCESSES, tableColumns } from "./columns";

interface Props {
  readonly server: number;
  readonly search: Base;
}

/** The machine underneath: CPU, disk and network, who shares the disk, which tables are read, what other cores would do. */
export const MachinePage = ({ server, search }: Props) => {
  const spec = windowOf(search);
  const machine = useQuery(machineQuery(server, spec, 240));
  const disk = useQuery(diskQuery(server, spec));
  const tables = useQuery(tablesQuery(server, spec));
  return (
    <div className="px-6 pt-2 pb-6">
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{disk.data?.sentence ?? "Machine, disk and tables"}</h1>
        <span className="flex shrink-0 gap-4 text-sm">
          <Link to="/servers/$server/split" params={{ server: String(server) }} className="text-accent hover:underline">
            more reads, or slower ones
          </Link>
          <Link
            to="/servers/$server/load"
            params={{ server: String(server) }}
            search={{ by: "read" } as never}
            className="text-accent hover:underline"
          >
            whose reads
          </Link>
        </span>
      </div>
      <AnswerState of={disk} what="the disk" />
      <AnswerState of={machine} what="the machine" />
      <AnswerState of={tables} what="tables" />
      <div className="mt-1 grid grid-cols-[minmax(0,1fr)_300px] gap-5">
        <div className={machine.isPlaceholderData ? "opacity-50" : ""}>
          {machine.data && machine.data.processes_at !== null ? (
            <Tracks
              title="Machine"
              starts={machine.data.starts}
              bucketMs={machine.data.bucket_ms}
              start={machine.data.start}
              end={machine.data.end}
              tracks={machineTracks(machine.data)}
              now={present()}
            />
          ) : machine.data ? (
            <p className="text-muted py-8">
              Here would be CPU, disk and network of {machine.data.machine || "this server’s machine"}. The collector
              reads the machine it runs on by itself; another one pushes its figures with a token, see
              docs/operating.md.
            </p>
          ) : null}
        </div>
        <Processes machine={machine.data} />
      </div>
      <div className="mt-3 grid grid-cols-2 gap-8">
        <Neighbours disk={disk.data} />
        <WhatIf server={server} search={search} />
      </div>
      <Tables server={server} tables={tables.data} />
    </div>
  );
};

const Processes = ({ machine }: { readonly machine: Schemas["MachineOut"] | undefined }) =>
  machine && machine.processes_at !== null ? (
    <section className="text-[13px]">
      <h2 className="font-semibold">Busiest processes at {stamp(machine.processes_at)}</h2>
      <DataTable
        id="processes"
        label="busiest processes"
        columns={PROCESSES}
        rows={machine.processes}
        rowKey={(one) => `${one.name} ${one.pid ?? ""}`}
        sort={{ by: "cpu", descending: true }}
      />
      {machine.memory_total === null ? null : (
        <p className="text-muted mt-1">
          memory {bytes(machine.series.memory_used?.findLast((v) => v !== null) ?? 0)} of {bytes(machine.memory_total)}
        </p>
      )}
    </section>
  ) : (
    <section />
  );

const Neighbours = ({ disk }: { readonly disk: Schemas["DiskOut"] | undefined }) => (
  <section>
    <h2 className="border-strong border-b font-semibold">
      {disk?.storage ? `Who loads the disk ${disk.storage}` : "Who loads the disk"}
    </h2>
    <DataTable
      id="disk"
      label="who loads the disk"
      columns={NEIGHBOURS}
      rows={disk?.servers ?? []}
      rowKey={(one) => String(one.id)}
      sort={{ by: "share", descending: true }}
      link={(one, words, className) => (
        <Link to="/servers/$server/machine" params={{ server: String(one.id) }} className={className}>
          {words}
        </Link>
      )}
    />
    {disk && disk.storage === "" ? (
      <p className="text-muted text-sm">
        Servers whose settings name the same disk are shown together here; this one names none.
      </p>
    ) : null}
  </section>
);

const WhatIf = ({ server, search }: Props) => {
  const [wanted, setWanted] = useState("");
  const servers = useQuery(serversQuery);
  const cores = servers.data?.servers.find((one) => one.id === server)?.cores;
  const known = cores ?? 0;
  const more = Number(wanted);
  const list = [...coresToTry(known), ...(Number.isInteger(more) && more > 0 ? [more] : [])];
  const found = useQuery({ ...whatIfQuery(server, windowOf(search), list), enabled: known > 0 });
  return (
    <section>
      <h2 className="border-strong flex items-baseline justify-between border-b font-semibold">
        <span>This load on other numbers of cores: an estimate</span>
        <label className="text-muted text-sm font-normal">
          try{" "}
          <input
            value={wanted}
            inputMode="numeric"
            aria-label="number of cores to try"
            onChange={(event) => setWanted(event.target.value)}
            className="border-line bg-raised w-12 border px-1 text-right"
          />{" "}
          cores
        </label>
      </h2>
      {cores === null ? (
        <p className="text-muted">How many cores there are is not known; set it in the settings.</p>
      ) : null}
      {found.error ? <p className="text-muted py-1">No estimate: {found.error.message}</p> : null}
      {found.data ? (
        <>
          <DataTable
            id="cores"
            label="this load on other numbers of cores"
            columns={CORES}
            rows={found.data.rows.map((row) => ({ ...row, now: row.cores === found.data.cores_now }))}
            rowKey={(row) => String(row.cores)}
            sort={{ by: "cores", descending: false }}
            mark={(row) => (row.now ? "font-semibold" : undefined)}
          />
          <details className="text-muted text-sm">
            <summary className="hover:text-accent cursor-pointer">assumptions</summary>
            <ul className="list-disc pl-4">
              {found.data.assumptions.map((one) => (
                <li key={one}>{one}</li>
              ))}
            </ul>
          </details>
        </>
      ) : null}
    </section>
  );
};

const Tables = ({ server, tables }: { readonly server: number; readonly tables: Schemas["TablesOut"] | undefined }) => (
  <section className="mt-4">
    <h2 className="flex gap-2 font-semibold">
      Tables and indexes by blocks read from disk
      {tables && tables.covered_ms > 0 ? (
        <span className="text-muted grow font-normal"> · counted over {duration(tables.covered_ms)}</span>
      ) : null}
    </h2>
    {tables && tables.tables.length === 0 ? (
      <p className="text-muted">Nothing was counted in this window: tables are read once a minute.</p>
    ) : null}
    {tables?.tables.length ? (
      <DataTable
        id="tables"
        label="tables and indexes"
        columns={tableColumns(server)}
        rows={tables.tables}
        rowKey={(one) => `${one.table} ${one.index}`}
        sort={{ by: "reads", descending: true }}
      />
    ) : null}
  </section>
);
