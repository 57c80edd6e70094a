import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { ranWords } from "./model";
import { AnswerState } from "../../ui/Answer";
import { beforeQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly at: number;
  readonly root: Schemas["EpisodeOut"];
}

/** What the root's transaction ran before it stood in the way: mostly the answer to why it holds the lock. */
export const Before = ({ server, at, root }: Props) => {
  const before = useQuery(beforeQuery(server, root.pid, root.started_s, at));
  const found = before.data;
  if (!found) return <AnswerState of={before} what="what its transaction ran" />;
  return (
    <section aria-label="What its transaction ran" className="mt-2">
      <h3 className="font-semibold">
        What its transaction ran{found.begun === null ? "" : `, begun ${stamp(found.begun)}`}
      </h3>
      {found.ran.length ? (
        <ol className="text-sm">
          {found.ran.map((one) => (
            <li key={one.query_id} className="flex gap-2">
              <span className="text-muted shrink-0">{stamp(one.first)}</span>
              <Link
                to="/servers/$server/statements/$query"
                params={{ server: String(server), query: one.query_id }}
                className="hover:text-accent min-w-0 flex-1 truncate"
                title={one.text}
              >
                {one.text}
              </Link>
              <span className="text-muted shrink-0">{ranWords(one)}</span>
            </li>
          ))}
        </ol>
      ) : null}
      <p className="text-muted text-sm">
        {found.ran.length
          ? `${found.cut ? "It ran more before. " : ""}Statements that were quicker than a sample and are not in the log are missing.`
          : "Neither samples nor log have a statement of it: all were quicker than a sample, or it ran none."}
      </p>
    </section>
  );
};
