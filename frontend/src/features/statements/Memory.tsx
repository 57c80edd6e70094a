import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { PAGE_BYTES, bytes, count } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { memorySentence } from "./memoryWords";
import { memoryQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly server: number;
  readonly spec: WindowSpec;
  readonly statement: Schemas["StatementOut"];
}

const KB = 1024;

/** What the statement's sorts and hashes needed, and how often it did not fit. */
export const Memory = ({ server, spec, statement }: Props) => {
  const asked = useQuery(memoryQuery(server, statement.query_id, spec));
  const memory = asked.data;
  if (!memory) return <AnswerState of={asked} what="memory and spills" />;
  const written = (statement.totals?.temp_written ?? 0) * PAGE_BYTES;
  return (
    <section aria-label="Memory and spills" className="mt-4">
      <h2 className="border-strong border-b font-semibold">Memory and spills</h2>
      <p className="py-1 text-sm">{memorySentence(memory, written)}</p>
      {memory.steps.length ? (
        <table className="font-condensed">
          <thead className="text-muted text-left text-sm">
            <tr>
              <th className="pr-6 font-normal">step of its newest plan</th>
              <th className="pr-6 text-right font-normal">in memory</th>
              <th className="pr-6 text-right font-normal">on disk</th>
              <th className="text-right font-normal">parts</th>
            </tr>
          </thead>
          <tbody>
            {memory.steps.map((step, i) => (
              <tr key={i} className="border-line border-b">
                <td className="pr-6">
                  {step.step} <span className="text-muted">{step.target}</span>
                </td>
                <td className="pr-6 text-right">{step.memory_kb === null ? "–" : bytes(step.memory_kb * KB)}</td>
                <td className="pr-6 text-right">
                  {step.disk_kb ? bytes(step.disk_kb * KB) : step.spilled ? "spilled" : "nothing"}
                </td>
                <td className="text-right">{step.batches === null ? "" : count(step.batches)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </section>
  );
};
