import { Link } from "@tanstack/react-router";
import { Fragment } from "react";

import type { Schemas } from "../../api/client";
import { duration, sessions } from "../../lib/units";

/** How much of the window the counters cover, and what broke them. */
export const Coverage = ({ found, span }: { readonly found: Schemas["RankingOut"]; readonly span: number }) => {
  const partly = found.covered_ms < span * 0.9;
  if (!partly && found.breaks.length === 0) return null;
  return (
    <p className="text-muted mb-1 text-sm">
      {partly ? `Counters cover ${duration(found.covered_ms)} of this window's ${duration(span)}. ` : ""}
      {found.breaks.includes("reset") ? "Counters were reset in between: work just before is missing. " : ""}
      {found.breaks.includes("restart") ? "The server restarted in between. " : ""}
      {found.breaks.includes("eviction")
        ? "The server evicted rarely used statements from its counters: their figures are missing."
        : ""}
    </p>
  );
};

interface UncountedProps {
  readonly found: Schemas["RankingOut"];
  readonly server: number;
}

/** What the figures below cannot show yet, though it may be what hurts. */
export const Uncounted = ({ found, server }: UncountedProps) => {
  if (found.uncounted.length === 0) return null;
  return (
    <p className="mb-1 text-sm" role="status">
      <b className="font-semibold">Not in these figures:</b> the server counts a call when it ends well. Sampled in
      calls that had not ended, that failed, or that waited before they could begin:{" "}
      {found.uncounted.map((row, i) => (
        <Fragment key={row.query_id}>
          {i ? "; " : ""}
          <Link
            to="/servers/$server/statements/$query"
            params={{ server: String(server), query: row.query_id }}
            className="text-accent hover:underline"
          >
            <span className="font-mono text-xs">{row.label}</span>
          </Link>{" "}
          <b className="font-semibold">{sessions(row.sessions)} sessions</b>
        </Fragment>
      ))}
      .
    </p>
  );
};
