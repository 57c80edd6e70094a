import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { patternsQuery } from "../api/queries";
import { when } from "../lib/time";
import { plural } from "../lib/units";
import type { WindowSpec } from "../lib/view";
import { DEADLOCK_CAUSES } from "../lib/words/deadlock_causes";
import { AnswerState } from "../ui/Answer";

interface Props {
  readonly server: number;
  readonly query: string;
  readonly spec: WindowSpec;
}

/** Patterns of deadlocks that a party was in with this statement; nothing where there are none. */
export const InDeadlocks = ({ server, query, spec }: Props) => {
  const patterns = useQuery(patternsQuery(server, spec, [`statement:${query}`]));
  if (patterns.error) return <AnswerState of={patterns} what="its deadlocks" />;
  const found = patterns.data?.patterns ?? [];
  if (found.length === 0) return null;
  return (
    <section aria-label="Deadlocks" className="mt-4">
      <h2 className="border-strong border-b font-semibold">Deadlocks it was in</h2>
      <ul>
        {found.map((one) => (
          <li key={one.pattern} className="border-line border-b py-0.5">
            <Link
              to="/servers/$server/deadlocks/$pattern"
              params={{ server: String(server), pattern: one.pattern }}
              className="text-accent hover:underline"
            >
              {(DEADLOCK_CAUSES as Readonly<Record<string, string>>)[one.cause] ?? one.cause}
            </Link>
            : {plural(one.count, "deadlock", "deadlocks")} in this window, between{" "}
            {one.programs.join(" and ") || "sessions"}, the last {when(one.last)}
          </li>
        ))}
      </ul>
    </section>
  );
};
