import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { count, duration } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { AnswerState } from "../../ui/Answer";
import { runByQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly query: string;
  readonly spec: WindowSpec;
}

/** The endpoints whose requests run this statement, each with its part; nothing where no trace tells of it. */
export const RunBy = ({ server, query, spec }: Props) => {
  const found = useQuery(runByQuery(server, query, spec));
  if (found.error) return <AnswerState of={found} what="the endpoints that run it" />;
  const rows = found.data?.statements ?? [];
  if (rows.length === 0) return null;
  const all = rows.reduce((sum, one) => sum + one.time_ms, 0);
  return (
    <section aria-label="Endpoints" className="mt-4">
      <h2 className="border-strong border-b font-semibold">Endpoints that run it, as traces tell</h2>
      <ul>
        {rows.map((one) => (
          <li key={one.endpoint_id} className="border-line border-b py-0.5">
            <Link
              to="/servers/$server/endpoints/$endpoint"
              params={{ server: String(server), endpoint: String(one.endpoint_id) }}
              className="text-accent underline"
            >
              {one.endpoint}
            </Link>{" "}
            <span className="text-muted">{one.service}</span>: {Math.round((100 * one.time_ms) / all)}% of it,{" "}
            {count(Number(one.runs.toPrecision(3)))} in a request, {duration(one.mean_ms)} each
            {one.repeated_requests > 0 ? (
              <b className="font-semibold">, repeated {count(Math.round(one.repeated_runs))} times</b>
            ) : null}
          </li>
        ))}
      </ul>
    </section>
  );
};
