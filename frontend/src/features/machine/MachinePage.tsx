import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { machineQuery, serversQuery } from "../../api/queries";
import { ExportMenu } from "../../charts/ExportMenu";
import type { Table } from "../../ui/tableFile";
import { Tracks } from "../../charts/Tracks";
import { machineTracks } from "../../charts/machineTracks";
import { stamp, present } from "../../lib/time";
import { figure } from "../../lib/figure";
import { bytes, duration, sessions, share } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { coresToTry } from "./model";
import { diskQuery, tablesQuery, whatIfQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

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
      <h1 className="text-base font-semibold">{disk.data?.sentence ?? "Machine, disk and tables"}</h1>
      <AnswerState of={disk} what="the disk" />
      <AnswerState of={machine} what="the machine" />
      <AnswerState of={tables} what="tables" />
      <div className="mt-1 grid grid-cols-[minmax(0,1fr)_264px] gap-5">
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
      <table className="font-condensed w-full">
        <tbody>
          {machine.processes.map((one) => (
            <tr key={`${one.name}${one.pid ?? ""}`} className="border-line border-b">
              <td className="truncate">
                {one.name} {one.pid === null ? "" : <span className="text-muted">{one.pid}</span>}
              </td>
              <td className="text-right">{one.cpu.toFixed(2)} cores</td>
              <td className="text-muted text-right">{bytes(one.memory)}</td>
            </tr>
          ))}
        </tbody>
      </table>
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
    <table className="font-condensed w-full">
      <tbody>
        {disk?.servers.map((one) => (
          <tr key={one.id} className="border-line border-b">
            <td>
              <Link
                to="/servers/$server/machine"
                params={{ server: String(one.id) }}
                className="text-accent hover:underline"
              >
                {one.name}
              </Link>
            </td>
            <td className="w-40">
              <svg width="150" height="10" aria-hidden="true">
                <rect width={150 * (one.share ?? 0)} height="10" fill="var(--data_io)" />
              </svg>
            </td>
            <td className="text-right">{one.share === null ? "not read" : share(one.share)}</td>
            <td className="text-right">{figure(one.reads, "per_s")} reads</td>
            <td className="text-right">{figure(one.writes, "per_s")} writes</td>
          </tr>
        ))}
      </tbody>
    </table>
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
          <table className="font-condensed w-full">
            <thead className="text-muted text-left text-sm">
              <tr>
                <th className="font-normal">cores</th>
                <th className="text-right font-normal">on a core</th>
                <th className="text-right font-normal">queueing for one</th>
                <th className="text-right font-normal">overloaded</th>
              </tr>
            </thead>
            <tbody>
              {found.data.rows.map((row) => (
                <tr key={row.cores} className={row.cores === found.data.cores_now ? "font-semibold" : ""}>
                  <td>
                    {row.cores} {row.cores === found.data.cores_now ? "(now)" : ""}
                  </td>
                  <td className="text-right">{sessions(row.running)}</td>
                  <td className="text-right">{row.queueing === null ? "grows without end" : sessions(row.queueing)}</td>
                  <td className="text-right">{share(row.overloaded)} of the time</td>
                </tr>
              ))}
            </tbody>
          </table>
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

/** A row per table and index, rates per second. */
export const tablesTable = (tables: Schemas["TablesOut"]): Table => ({
  columns: ["table", "index", "blocks_read", "blocks_hit", "share", "rows_read", "rows_written", "size_bytes"],
  rows: tables.tables.map((one) => [
    one.table,
    one.index,
    one.reads,
    one.hits,
    one.share,
    one.rows_read,
    one.rows_written,
    one.size_bytes,
  ]),
});

const Tables = ({ server, tables }: { readonly server: number; readonly tables: Schemas["TablesOut"] | undefined }) => (
  <section className="mt-4">
    <h2 className="flex gap-2 font-semibold">
      Tables and indexes by blocks read from disk
      {tables && tables.covered_ms > 0 ? (
        <span className="text-muted grow font-normal"> · counted over {duration(tables.covered_ms)}</span>
      ) : null}
      {tables ? <ExportMenu name="tables" table={() => tablesTable(tables)} /> : null}
    </h2>
    {tables && tables.tables.length === 0 ? (
      <p className="text-muted">Nothing was counted in this window: tables are read once a minute.</p>
    ) : null}
    <table className="font-condensed w-full">
      <thead>
        <tr className="border-strong text-muted border-b text-left text-sm">
          <th className="font-normal">table, index</th>
          <th className="text-right font-normal">blocks read</th>
          <th className="text-right font-normal">of all</th>
          <th className="text-right font-normal">buffer hits</th>
          <th className="text-right font-normal">rows read</th>
          <th className="text-right font-normal">rows written</th>
          <th className="text-right font-normal">size</th>
          <th className="pl-6 font-normal">statements that name it, by what they read</th>
        </tr>
      </thead>
      <tbody>
        {tables?.tables.map((one) => (
          <tr key={`${one.table} ${one.index}`} className="border-line border-b align-top">
            <td>
              {one.index ? <span className="text-muted">{one.table} · </span> : null}
              {one.index || one.table}
            </td>
            <td className="text-right">{figure(one.reads, "per_s")}</td>
            <td className="text-right">{share(one.share)}</td>
            <td className="text-right">{one.hit_share === null ? "–" : share(one.hit_share)}</td>
            <td className="text-right">{figure(one.rows_read, "per_s")}</td>
            <td className="text-right">{figure(one.rows_written, "per_s")}</td>
            <td className="text-right">{bytes(one.size_bytes)}</td>
            <td className="max-w-[420px] pl-6">
              {one.statements.map((statement) => (
                <Link
                  key={statement.query_id}
                  to="/servers/$server/statements/$query"
                  params={{ server: String(server), query: statement.query_id }}
                  title={statement.label}
                  className="hover:text-accent block truncate font-mono text-xs leading-6"
                >
                  {statement.reads === 0 && statement.reading > 0
                    ? `under way, ${share(statement.reading)} of the time reading: `
                    : `${figure(statement.reads, "per_s")} `}
                  {statement.label}
                </Link>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  </section>
);
