import { useQuery } from "@tanstack/react-query";

import { when } from "../../lib/time";
import { plural } from "../../lib/units";
import { endedQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

/** The record of what was ended on this server. */
export const Ended = ({ server }: { readonly server: number }) => {
  const ended = useQuery(endedQuery(server));
  const rows = ended.data ?? [];
  return (
    <section aria-label="Ended by users of Faena">
      <h2 className="border-strong border-b font-semibold">Ended by users of Faena</h2>
      <AnswerState of={ended} what="what was ended" />
      {ended.data?.length === 0 ? (
        <p className="text-muted py-1 text-sm">
          Nothing. An operator ends a statement or a session from its tape; who, why and what became of it is listed
          here.
        </p>
      ) : (
        <ul>
          {rows.slice(0, 10).map((one) => (
            <li key={`${one.at}-${one.pid}`} className="border-line border-b py-1 text-sm">
              <span className="text-muted">{when(one.at)}</span> <b>{one.by}</b>: {one.what} of {one.program} (pid{" "}
              {one.pid}), “{one.reason}”. {one.answer}
              {one.freed.length ? `; ${plural(one.freed.length, "waiter went", "waiters went")} on` : ""}
              {one.still.length ? `; ${one.still.length} still wait` : ""}.
            </li>
          ))}
        </ul>
      )}
    </section>
  );
};
