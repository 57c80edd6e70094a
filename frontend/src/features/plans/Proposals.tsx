import { useQuery } from "@tanstack/react-query";

import { keepingWords } from "../../lib/indexWords";
import { Ddl } from "../../ui/Ddl";
import { proposalsQuery } from "./queries";

/** Indexes for a plan by the statistics of the server it comes from; or why none. */
export const Proposals = ({ planKey }: { readonly planKey: string }) => {
  const found = useQuery(proposalsQuery(planKey));
  if (found.error) return <p className="text-muted py-1 text-sm">No index could be judged: {found.error.message}</p>;
  if (!found.data) return <p className="text-muted py-1 text-sm">Asking the server for its statistics …</p>;
  const { proposals, refused, unknown, estimates } = found.data;
  return (
    <section aria-label="Indexes for this plan" className="mt-4">
      <h2 className="border-strong border-b font-semibold">Indexes for this plan</h2>
      {proposals.map((one) => (
        <article
          key={one.ddl}
          className="border-line grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6 border-b py-1.5"
        >
          <div>
            <Ddl text={one.ddl} />
            <p className="text-muted text-sm">
              {keepingWords(one)}
              {one.overlaps.map((words) => ` ${words}.`)}
            </p>
          </div>
          <div className="text-sm">
            <p>{one.sentence}</p>
            <ul>
              {one.why.map((why) => (
                <li key={why.column}>
                  <b className="font-semibold">{why.column}</b> {why.words}
                </li>
              ))}
            </ul>
          </div>
        </article>
      ))}
      {refused.map((one) => (
        <p key={one.sentence} className="text-muted py-0.5 text-sm">
          Not proposed: {one.sentence}
        </p>
      ))}
      {estimates.length ? (
        <>
          <h3 className="mt-2 font-semibold">Its wrong estimates, by the counters of their tables</h3>
          {estimates.map((one) => (
            <p key={one.step} className="py-0.5 text-sm">
              Step {one.step + 1}: {one.sentence}. <span className="text-muted">{one.next_step}</span>
            </p>
          ))}
        </>
      ) : null}
      {unknown ? <p className="text-muted py-1 text-sm">{unknown}</p> : null}
      {!unknown && proposals.length === 0 && refused.length === 0 ? (
        <p className="text-muted py-1 text-sm">No step of it reads a table in a way that an index would change.</p>
      ) : null}
    </section>
  );
};
