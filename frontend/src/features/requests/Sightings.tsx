import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect } from "react";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { duration, plural } from "../../lib/units";
import { AnswerState } from "../../ui/Answer";
import { sightingsQuery } from "./queries";

type Seen = Schemas["SightedOut"];

const AROUND_MS = 10_000; // shown before and after what was seen, so that its beginning and end are

const tapeOf = (one: Seen) => ({
  to: "/servers/$server/sessions/$pid" as const,
  params: { server: String(one.server), pid: String(one.pid) },
  search: { from: one.first - AROUND_MS, to: one.last + AROUND_MS, started: String(one.started_s) } as never,
});

/** The tape of a session at the time it was seen. */
export const TapeThen = ({ one }: { readonly one: Seen }) => (
  <Link {...tapeOf(one)} className="text-accent underline">
    the tape of its session (pid {one.pid}) then
  </Link>
);

/** That a session waited for another one, and the way to that one. */
const Waited = ({ one }: { readonly one: Seen }) => {
  const root = one.blocker;
  const then = { from: one.first - AROUND_MS, to: one.last + AROUND_MS };
  return (
    <>
      It waited for{" "}
      {root ? (
        <>
          <Link
            to="/servers/$server/sessions/$pid"
            params={{ server: String(one.server), pid: String(root.pid) }}
            search={{ ...then, started: String(root.started_s) } as never}
            className="text-accent underline"
          >
            {root.program} (pid {root.pid})
          </Link>
          , {root.state}
        </>
      ) : (
        "another session"
      )}
      :{" "}
      <Link
        to="/servers/$server/blocking"
        params={{ server: String(one.server) }}
        search={then as never}
        className="text-accent underline"
      >
        who blocked whom then
      </Link>
      .
    </>
  );
};

/** Sessions that samples saw working for a request, those that waited for others first. */
export const SeenSessions = ({ seen }: { readonly seen: readonly Seen[] }) => {
  if (seen.length === 0) return null;
  const shown = seen.toSorted((a, b) => Number(b.blocked) - Number(a.blocked) || b.last - b.first - (a.last - a.first));
  return (
    <ul className="text-sm" aria-label="sessions that worked for it">
      {shown.slice(0, MOST_TOLD).map((one) => (
        <li key={`${one.server}-${one.pid}-${one.started_s}-${one.first}`} className="my-1 border-l-2 pl-3">
          Samples saw a statement of it from {stamp(one.first)} for {duration(one.last - one.first)}:{" "}
          <TapeThen one={one} />. {one.blocked ? <Waited one={one} /> : null}
        </li>
      ))}
      {shown.length > MOST_TOLD ? (
        <li className="text-muted">
          and {plural(shown.length - MOST_TOLD, "more statement", "more statements")} of it.
        </li>
      ) : null}
    </ul>
  );
};

const MOST_TOLD = 3;

interface UnderWayProps {
  readonly server: number;
  readonly trace: string;
  readonly why: string;
  readonly again: () => unknown;
}

/** A request of which no trace tells: what samples saw of it, until its trace comes. */
export const UnderWay = ({ server, trace, why, again }: UnderWayProps) => {
  const asked = useQuery(sightingsQuery(server, trace));
  const { came, seen = [] } = asked.data ?? {};
  const named = seen.find((one) => one.endpoint)?.endpoint;
  useEffect(() => {
    if (came) again();
  }, [came, again]);
  return (
    <>
      <h1 className="text-base font-semibold">
        No trace tells of this request{seen.length ? " yet" : ""}.{" "}
        {named ? <span className="font-normal">Its sessions work for {named}.</span> : null}
      </h1>
      <p className="text-muted text-sm">
        {seen.length
          ? `An application sends a trace when its request has ended. Until then samples tell this of it; the page looks again by itself.${named ? " Likely means that in a day no other endpoint ran its statement." : ""}`
          : `${why.charAt(0).toUpperCase()}${why.slice(1)}.`}
      </p>
      <AnswerState of={asked} what="the sessions that worked for it" />
      <SeenSessions seen={seen} />
    </>
  );
};
