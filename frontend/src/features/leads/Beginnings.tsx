import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { alertsOfLeadQuery } from "../../api/queries";
import { clock, when } from "../../lib/time";
import { counted } from "../../lib/units";
import type { Base } from "../../lib/view";
import { Acts } from "./Handling";
import type { Lead } from "./model";

interface Props {
  readonly server: number;
  readonly search: Base;
  readonly lead: Lead;
}

/** What changed as it began, and whether that can be its cause. */
export const Suspects = ({ server, search, lead }: Props) =>
  lead.suspects.length === 0 ? null : (
    <div className="mt-1 flex items-baseline gap-2">
      <span className="text-muted w-16 shrink-0 text-sm">changed</span>
      <ul aria-label="what changed as it began" className="min-w-0">
        {lead.suspects.map((one) => (
          <li key={one.id} className={one.can ? "" : "text-muted text-sm"}>
            {one.at - one.since < SAME_MS ? when(one.at) : `${when(one.since, false)} to ${clock(one.at, false)}`}{" "}
            <Link
              to="/servers/$server/changes"
              params={{ server: String(server) }}
              search={search as never}
              className="text-accent underline"
            >
              {one.line}
            </Link>
            : {one.can ? "can be its cause" : "hardly its cause"}, {one.why}
          </li>
        ))}
      </ul>
    </div>
  );

const SAME_MS = 90_000; // two looks at the catalogue lie a minute apart; what is told by the hour says so

/** Who was told of it, where anybody was. */
export const Told = ({ server, lead }: { readonly server: number; readonly lead: Lead }) => {
  const found = useQuery(alertsOfLeadQuery(server, lead.identity));
  if (!found.data?.length) return null;
  return (
    <div className="mt-1 flex items-baseline gap-2 print:hidden">
      <span className="text-muted w-16 shrink-0 text-sm">told</span>
      <span className="text-sm">
        {found.data.map((one) => (
          <span key={one.id} className="mr-4">
            <Link to="/alerts/$alert" params={{ alert: String(one.id) }} className="text-accent underline">
              {when(one.fired, false)}
            </Link>
            , {one.state}
          </span>
        ))}
      </span>
    </div>
  );
};

interface BecameProps {
  readonly server: number;
  readonly lead: Lead;
  readonly span: { readonly from: number; readonly to: number };
  readonly canAct: boolean;
}

/** Whether it was here before, and what people said of it. */
export const Became = ({ server, lead, span, canAct }: BecameProps) => {
  const known = lead.known;
  return (
    <div className="mt-1 flex items-baseline gap-2 print:hidden">
      <span className="text-muted w-16 shrink-0 text-sm">since</span>
      <span className="text-sm">
        {known ? <Before known={known} /> : "It was in no window that was looked at before."}
        {canAct ? (
          <Acts
            server={server}
            which={known ? { id: known.id } : { identity: lead.identity, from: span.from, to: span.to }}
            state={known?.state ?? "open"}
            title={lead.title}
          />
        ) : null}
      </span>
    </div>
  );
};

const saidOf = (reason: string): string => (reason ? `: ${reason}.` : ".");

const Before = ({ known }: { readonly known: NonNullable<Lead["known"]> }) => (
  <>
    First seen {when(known.first, false)}
    {known.times > 1 ? `, ${counted(known.times, "time")} so far` : ""}.
    {known.state === "open" ? "" : ` It was ${known.state} ${when(known.state_at, false)} by ${known.state_by}`}
    {known.state === "open" ? (known.reason ? ` Said of it before: ${known.reason}.` : "") : saidOf(known.reason)}
    {known.came_back === null ? "" : ` It came back ${when(known.came_back, false)} after it was handled.`}
  </>
);
