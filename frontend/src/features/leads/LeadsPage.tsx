import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { leadsQuery } from "../../api/queries";
import { stepParts } from "../../lib/nextStep";
import { count, duration, share } from "../../lib/units";
import { type Base, windowOf } from "../../lib/view";
import { InCases } from "../../shell/InCases";
import { Answer } from "../../ui/Answer";
import { CopyButton } from "../../ui/CopyButton";
import { Ddl } from "../../ui/Ddl";
import { useOffer } from "../../ui/offers";
import { StepPicture, WhatItExplains } from "./Pictures";
import { Became, Suspects, Told } from "./Beginnings";
import { type Lead, type Step, asMarkdown, rootFacts } from "./model";

interface Props {
  readonly server: number;
  readonly search: Base;
  readonly role?: string;
}

/** What is at fault in the window: each lead from what users feel down to its root, and what was ruled out. */
export const LeadsPage = ({ server, search, role = "" }: Props) => {
  const found = useQuery(leadsQuery(server, windowOf(search)));
  return (
    <div className="pane px-6 pt-2 pb-6">
      <Answer of={found} what="what is at fault">
        {(data) => (
          <>
            <h1 className="text-base font-semibold">{headline(data)}</h1>
            {data.ground ? <p className={data.quiet ? "" : "text-muted text-sm"}>{data.ground}</p> : null}
            {data.quiet && data.ticks ? <NotLooked /> : null}
            <ol className="mt-2">
              {data.leads.map((lead, i) => (
                <LeadSection
                  key={`${lead.identity} ${earlier(data.leads, i)}`} // a title has figures, which go on
                  server={server}
                  search={search}
                  role={role}
                  lead={lead}
                  span={{ from: data.start, to: data.end }}
                  place={data.leads.length > 1 ? i + 1 : null}
                />
              ))}
            </ol>
          </>
        )}
      </Answer>
    </div>
  );
};

/** How many leads before it are the same trouble. */
const earlier = (leads: readonly Lead[], place: number): number =>
  leads.slice(0, place).filter((one) => one.identity === leads[place]?.identity).length;

const headline = (data: Schemas["LeadsOut"]): string => {
  const [first, ...others] = data.leads;
  if (!data.ticks) return "Nothing was sampled in this window.";
  if (!first) return "Quiet: no rule finds harm in this window.";
  return others.length ? `${first.title}, and ${count(others.length)} more.` : `${first.title}.`;
};

/** Quiet is a claim, too: what it rests on, and what it does not. */
const NotLooked = () => (
  <p className="text-muted text-sm">
    Looked at were sessions and what they waited for, blocking, plans that are known, counters and the log. That a load
    is more than usual is told on Load.
  </p>
);

interface LeadProps extends Props {
  readonly lead: Lead;
  readonly span: { readonly from: number; readonly to: number };
  readonly place: number | null; // null: it is the only one, and the page is headed by it
}

const LeadSection = ({ server, search, role, lead, span, place }: LeadProps) => {
  const { sql, words } = stepParts(lead.next_step);
  const canAct = role === "operator" || role === "admin";
  const kept = { server, start: span.from, end: span.to, identity: lead.identity };
  useOffer({ title: `lead: ${lead.title}`, make: () => ({ title: lead.title, sentence: "", lead: kept }) });
  return (
    <li className="border-strong mt-3 border-t pt-2">
      <div className="flex items-baseline justify-between gap-4">
        <h2 className="font-semibold">{place === null ? "How it came about" : `${place}. ${lead.title}`}</h2>
        <span className="text-muted flex shrink-0 items-center gap-2 text-sm">
          {lead.label}, {lead.share > 0 ? `explains ${share(lead.share)} of the load` : "told by events, not by load"},{" "}
          {duration(lead.seconds * 1000)} of sessions
          <CopyButton text={asMarkdown(lead, window.location.href)} label="copy this lead as Markdown" />
        </span>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,380px)] gap-x-8">
        <div>
          <ol aria-label="chain of causes" className="mt-1">
            {lead.chain.map((step, i) => (
              <li key={i} className="flex gap-2 py-0.5">
                <span className="text-muted w-16 shrink-0 text-sm">
                  {i === 0 ? "seen" : i === lead.chain.length - 1 ? "at fault" : "because"}
                </span>
                <span className="min-w-0 grow">
                  {step.sentence} <Evidence server={server} search={search} step={step} />
                </span>
                <StepPicture server={server} span={span} step={step} lead={lead} />
              </li>
            ))}
          </ol>
          <div className="mt-1 flex items-baseline gap-2">
            <span className="text-muted w-16 shrink-0 text-sm">next</span>
            <div className="min-w-0">
              {sql ? <Ddl text={sql} /> : null}
              {words ? <p className="first-letter:uppercase">{words}</p> : null}
            </div>
          </div>
          <Suspects server={server} search={search} lead={lead} />
          <div className="mt-1 flex items-baseline gap-2">
            <span className="text-muted w-16 shrink-0 text-sm">casebook</span>
            <InCases
              server={server}
              about="lead"
              of={lead.identity}
              {...(canAct ? { make: { lead: { ...kept, svg: "" } } } : {})}
            />
          </div>
          <Told server={server} lead={lead} />
          <Became server={server} lead={lead} span={span} canAct={canAct} />
        </div>
        <div className="text-sm">
          <WhatItExplains lead={lead} />
          <RootFacts server={server} search={search} lead={lead} />
          {lead.ruled_out.length ? (
            <ul aria-label="ruled out" className="text-muted mt-1">
              {lead.ruled_out.map((one) => (
                <li key={one.what}>
                  ruled out: {one.what} ({one.why})
                </li>
              ))}
            </ul>
          ) : null}
        </div>
      </div>
    </li>
  );
};

/** Who or what is at fault, as far as it is known. */
const RootFacts = ({ server, search, lead }: Props & { readonly lead: Lead }) => (
  <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-3 gap-y-1">
    {rootFacts(lead.root).map(([name, value]) => (
      <div key={name} className="contents">
        <dt className="text-muted">{name}</dt>
        <dd className={name === "statement" ? "font-mono text-xs break-words" : "truncate"}>
          {name === "process" ? (
            <Process server={server} search={search} pid={lead.root.pid ?? 0} />
          ) : name === "program" && lead.share > 0 ? (
            <Program server={server} search={search} name={value} />
          ) : (
            value
          )}
        </dd>
      </div>
    ))}
  </dl>
);

/** What else its sessions did in the window. */
const Program = ({ server, search, name }: Props & { readonly name: string }) => (
  <Link
    to="/servers/$server/load"
    params={{ server: String(server) }}
    search={{ ...search, pick: [`program:${name}`] } as never}
    className="text-accent underline"
  >
    {name}
  </Link>
);

/** Its tape, where it can be ended as well. */
const Process = ({ server, search, pid }: Props & { readonly pid: number }) => (
  <Link
    to="/servers/$server/sessions/$pid"
    params={{ server: String(server), pid: String(pid) }}
    search={search as never}
    className="text-accent underline"
  >
    pid {pid}
  </Link>
);

const VIEWS = {
  load: { to: "/servers/$server/load", label: "load" },
  blocking: { to: "/servers/$server/blocking", label: "blocking" },
  sessions: { to: "/servers/$server/sessions/window", label: "sessions" },
  statements: { to: "/servers/$server/statements", label: "statements" },
  machine: { to: "/servers/$server/machine", label: "machine" },
  deadlocks: { to: "/servers/$server/deadlocks", label: "deadlocks" },
  log: { to: "/servers/$server/events", label: "log" },
} as const;

const linked = (view: string): view is keyof typeof VIEWS => view in VIEWS;

/** Where a step's evidence is seen, over the same window. */
const Evidence = ({ server, search, step }: Props & { readonly step: Step }) => {
  const query = step.search["query"];
  if (step.view === "statement" && query !== undefined)
    return (
      <Link
        to="/servers/$server/statements/$query"
        params={{ server: String(server), query }}
        search={search}
        className="text-accent text-sm underline"
      >
        the statement
      </Link>
    );
  const endpoint = step.search["endpoint"];
  if (step.view === "endpoint" && endpoint !== undefined)
    return (
      <Link
        to="/servers/$server/endpoints/$endpoint"
        params={{ server: String(server), endpoint }}
        search={search as never}
        className="text-accent text-sm underline"
      >
        its requests
      </Link>
    );
  if (!linked(step.view)) return null;
  return (
    <Link
      to={VIEWS[step.view].to}
      params={{ server: String(server) }}
      search={search as never}
      className="text-accent text-sm underline"
    >
      {VIEWS[step.view].label}
    </Link>
  );
};
