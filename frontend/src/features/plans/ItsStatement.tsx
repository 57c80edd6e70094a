import { Link } from "@tanstack/react-router";

import type { Plan } from "./model";

/** The way back from a plan to the statement it is of, where that is known, in the window one came from. */
export const ItsStatement = ({ plan }: { readonly plan: Plan }) =>
  plan.server !== null && plan.query_id !== null ? (
    <Link
      to="/servers/$server/statements/$query"
      params={{ server: String(plan.server), query: plan.query_id }}
      className="border-line hover:border-strong shrink-0 rounded-sm border px-2 py-0.5"
    >
      its statement
    </Link>
  ) : null;
