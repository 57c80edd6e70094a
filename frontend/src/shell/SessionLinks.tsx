import { Link } from "@tanstack/react-router";

import type { Schemas } from "../api/client";

/** A pid, as the way to its tape. */
export const TapeLink = ({ server, one }: { readonly server: number; readonly one: Schemas["WatchedSessionOut"] }) => (
  <Link
    to="/servers/$server/sessions/$pid"
    params={{ server: String(server), pid: String(one.pid) }}
    search={(old) => ({ ...old, started: String(one.started_s) })}
    className="hover:text-accent underline decoration-dotted"
    title="its tape, second by second"
  >
    {one.pid}
  </Link>
);

/** The request a session works for: by its endpoint once that is known, as the way to the request. */
export const RequestLink = ({
  server,
  one,
}: {
  readonly server: number;
  readonly one: Pick<Schemas["WatchedSessionOut"], "trace" | "endpoint"> & { readonly program?: string };
}) => {
  const { endpoint, program } = one;
  // Mostly a program is called as its service is, and stands beside it.
  const words = program && endpoint.startsWith(`${program} `) ? endpoint.slice(program.length + 1) : endpoint;
  return one.trace ? (
    <Link
      to="/servers/$server/requests/$trace"
      params={{ server: String(server), trace: one.trace }}
      className="hover:text-accent underline decoration-dotted"
      title="the request it works for"
    >
      {words || "its request"}
    </Link>
  ) : (
    words || null
  );
};

/** A statement in a line, as the way to its page. */
export const StatementLink = ({
  server,
  one,
}: {
  readonly server: number;
  readonly one: Schemas["WatchedSessionOut"];
}) =>
  one.query_id === null ? null : (
    <Link
      to="/servers/$server/statements/$query"
      params={{ server: String(server), query: one.query_id }}
      className="hover:text-accent"
    >
      {one.statement || `statement ${one.query_id}`}
    </Link>
  );
