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
