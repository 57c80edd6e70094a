import { useQuery } from "@tanstack/react-query";

import { duration } from "../../lib/units";
import { present, when } from "../../lib/time";
import { collectorsQuery } from "./queries";
import { type Collector, every, howItDoes } from "./model";
import { AnswerState } from "../../ui/Answer";

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

const Heads = ({ names }: { readonly names: readonly string[] }) => (
  <thead className="border-line border-b text-sm">
    <tr>
      {names.map((name) => (
        <th key={name} className="text-muted pr-4 text-left font-normal">
          {name}
        </th>
      ))}
    </tr>
  </thead>
);

const Servers = ({ one }: { readonly one: Collector }) => (
  <table className="font-condensed w-full">
    <Heads names={["server", "state", "last sample", "took", "missed"]} />
    <tbody>
      {one.servers.map((server) => (
        <tr key={server.server_id} className="border-line border-b align-top">
          <td className="pr-4">{server.name}</td>
          <td className="pr-4">
            {server.state}
            {server.message ? <span className="text-muted block text-sm break-words">{server.message}</span> : null}
          </td>
          <td className="pr-4 whitespace-nowrap">
            {server.last_sample === null ? "none yet" : `${duration(Math.max(0, present() - server.last_sample))} ago`}
          </td>
          <td className="pr-4 whitespace-nowrap">{server.took_ms === null ? "" : duration(server.took_ms)}</td>
          <td>{server.missed}</td>
        </tr>
      ))}
    </tbody>
  </table>
);

const Jobs = ({ one }: { readonly one: Collector }) => (
  <table className="font-condensed w-full">
    <Heads names={["job", "every", "last run", "took", "result"]} />
    <tbody>
      {one.jobs.map((job) => (
        <tr key={job.name} className="border-line border-b">
          <td className="pr-4">{job.name}</td>
          <td className="pr-4 whitespace-nowrap">{every(job.every_s)}</td>
          <td className="pr-4 whitespace-nowrap">
            {job.ran_at === null ? "not yet" : `${duration(Math.max(0, present() - job.ran_at))} ago`}
          </td>
          <td className="pr-4 whitespace-nowrap">{job.took_ms === null ? "" : duration(job.took_ms)}</td>
          <td>{job.error === "" ? (job.ran_at === null ? "" : "went well") : `failed: ${job.error}`}</td>
        </tr>
      ))}
    </tbody>
  </table>
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
