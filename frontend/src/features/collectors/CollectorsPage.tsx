import { useQuery } from "@tanstack/react-query";

import { duration } from "../../lib/units";
import { present, when } from "../../lib/time";
import { collectorsQuery } from "./queries";
import { type Collector, every, howItDoes } from "./model";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";

/** Every collector, its queue, its jobs, and what it had to put aside. */
export const CollectorsPage = () => {
  const collectors = useQuery(collectorsQuery);
  return (
    <div className="px-6 py-3">
      <h1 className="pb-2 text-lg font-semibold">Collectors</h1>
      <AnswerState of={collectors} what="the collectors" />
      {collectors.data?.length === 0 ? (
        <p className="text-muted">
          No collector has told of itself yet. <code>./faena collect</code> starts one, <code>./faena up</code> one
          together with a web server.
        </p>
      ) : null}
      {(collectors.data ?? []).map((one) => (
        <CollectorPart key={one.holder} one={one} />
      ))}
    </div>
  );
};

const CollectorPart = ({ one }: { readonly one: Collector }) => {
  const now = present();
  const facts = [
    ["running", one.started === null ? "unknown" : `for ${duration(now - one.started)}`],
    ["last seen", `${duration(one.silent_ms)} ago`],
    ["version", one.version],
    ["not stored yet", `${one.waiting} ${one.waiting === 1 ? "reading" : "readings"}`],
    ["dropped, no room left", `${one.dropped}`],
    ["put aside", `${one.refused} ${one.refused === 1 ? "record" : "records"}`],
  ] as const;
  return (
    <section aria-label={`collector ${one.holder}`} className="border-strong border-t py-2">
      <h2>
        <b className="font-semibold">{one.holder}</b> is {howItDoes(one, now)}.
      </h2>
      <dl className="font-condensed flex flex-wrap gap-x-8 py-1">
        {facts.map(([name, value]) => (
          <div key={name}>
            <dt className="text-muted text-sm">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-10 pt-1">
        <Servers one={one} />
        <div>
          <Jobs one={one} />
          <Refused one={one} />
        </div>
      </div>
    </section>
  );
};

const ago = (at: number): string => `${duration(Math.max(0, present() - at))} ago`;

type Sampled = Collector["servers"][number];

const SERVERS: Column<Sampled>[] = [
  { id: "server", heading: "server", value: (server) => server.name },
  {
    ...{ id: "state", heading: "state", value: (server: Sampled) => `${server.state} ${server.message}`.trim() },
    show: (server) => (
      <>
        {server.state}
        {server.message ? (
          <span className="text-muted block text-sm break-words whitespace-normal">{server.message}</span>
        ) : null}
      </>
    ),
  },
  {
    ...{ id: "last", heading: "last sample", value: (server: Sampled) => server.last_sample },
    show: (server) => (server.last_sample === null ? "none yet" : ago(server.last_sample)),
  },
  {
    ...{ id: "took", heading: "took", value: (server: Sampled) => server.took_ms },
    show: (server) => (server.took_ms === null ? "" : duration(server.took_ms)),
  },
  { id: "missed", heading: "missed", align: "right", value: (server) => server.missed },
];

const Servers = ({ one }: { readonly one: Collector }) => (
  <DataTable
    id="sampled"
    label={`servers of ${one.holder}`}
    columns={SERVERS}
    rows={one.servers}
    rowKey={(server) => String(server.server_id)}
    sort={{ by: "server", descending: false }}
  />
);

type Job = Collector["jobs"][number];

const result = (job: Job): string => {
  if (job.error !== "") return `failed: ${job.error}`;
  return job.ran_at === null ? "" : "went well";
};

const JOBS: Column<Job>[] = [
  { id: "job", heading: "job", value: (job) => job.name },
  { id: "every", heading: "every", value: (job) => job.every_s, show: (job) => every(job.every_s) },
  {
    ...{ id: "ran", heading: "last run", value: (job: Job) => job.ran_at },
    show: (job) => (job.ran_at === null ? "not yet" : ago(job.ran_at)),
  },
  {
    ...{ id: "took", heading: "took", value: (job: Job) => job.took_ms },
    show: (job) => (job.took_ms === null ? "" : duration(job.took_ms)),
  },
  { id: "result", heading: "result", value: result, say: result },
];

const Jobs = ({ one }: { readonly one: Collector }) => (
  <DataTable
    id="jobs"
    label={`jobs of ${one.holder}`}
    columns={JOBS}
    rows={one.jobs}
    rowKey={(job) => job.name}
    sort={{ by: "job", descending: false }}
  />
);

const Refused = ({ one }: { readonly one: Collector }) =>
  one.refused_latest.length === 0 ? null : (
    <div className="pt-3">
      <h3 className="font-semibold">Put aside, newest first</h3>
      <p className="text-muted text-sm">
        They lie in refused.jsonl of this collector’s folder. After an upgrade that can take them,{" "}
        <code>./faena replay</code> stores them.
      </p>
      <ul className="font-condensed">
        {one.refused_latest.map((record, i) => (
          <li key={i} className="border-line border-b">
            {when(record.at)} · {record.kind} of server {record.server_id}: {record.reason}
          </li>
        ))}
      </ul>
    </div>
  );
