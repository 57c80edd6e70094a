import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { ExportMenu } from "../../charts/ExportMenu";
import { InDeadlocks } from "../../shell/InDeadlocks";
import { useView } from "../../shell/screen";
import { windowOf } from "../../lib/view";
import { saveFile } from "../../ui/tableFile";
import { duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Menu } from "../../ui/Menu";
import { ItsStatement } from "./ItsStatement";
import { Ledger } from "./Ledger";
import { executedWords, ledgerTable, planSentence, timeWords, withProposals } from "./model";
import { Proposals } from "./Proposals";
import { planQuery, proposalsQuery, recentPlansQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly planKey: string;
  readonly onAgainst: (other: string) => void;
}

/** One plan as a ledger: where the time went, and what is suspected. */
export const PlanPage = ({ planKey, onAgainst }: Props) => {
  const search = useView({});
  const found = useQuery(planQuery(planKey));
  const recent = useQuery(recentPlansQuery);
  const known = found.data !== undefined && found.data.server !== null;
  const proposed = useQuery({ ...proposalsQuery(planKey), enabled: known });
  const index = proposed.data?.proposals[0];
  const others = (recent.data ?? []).filter((one) => one.key !== planKey);
  const plan = found.data;
  if (!plan)
    return (
      <div className="px-6">
        <AnswerState of={found} what="the plan" />
      </div>
    );
  return (
    <div className="px-6 py-3">
      <header className="flex items-baseline justify-between gap-6">
        <div>
          <h1 className="text-base font-semibold">
            {index ? `${timeWords(plan)}. ${index.sentence}` : planSentence(plan)} {executedWords(plan)}
          </h1>
          <p className="text-muted text-sm">
            {plan.title ? `${plan.title} · ` : ""}
            {plan.planning_ms === null ? "" : `planned in ${duration(plan.planning_ms)} · `}
            {plan.jit_ms === null ? "" : `compiled in ${duration(plan.jit_ms)} · `}
            read from {plan.form}
            {Object.entries(plan.settings).map(([name, value]) => ` · ${name} = ${value}`)}
          </p>
        </div>
        <span className="flex shrink-0 gap-3">
          {others.length ? (
            <Menu
              label="compare with another plan"
              className="border-line border px-2 py-0.5"
              entries={others.map((one) => ({
                label: one.title || one.key.slice(0, 8),
                act: () => onAgainst(one.key),
              }))}
            >
              compare with ▾
            </Menu>
          ) : null}
          <ExportMenu name="ledger" table={() => ledgerTable(plan)} />
          <Button onClick={() => saveFile(new Blob([plan.written], { type: "text/plain" }), "plan.txt")}>
            as written
          </Button>
          <ItsStatement plan={plan} />
          <Link to="/plans" className="border-line hover:border-strong rounded-sm border px-2 py-0.5">
            another plan
          </Link>
        </span>
      </header>
      {plan.statement ? (
        <pre className="bg-raised my-2 max-h-28 overflow-auto p-2 font-mono text-xs whitespace-pre-wrap">
          {plan.statement}
        </pre>
      ) : null}
      <div className="mt-2">
        {/* A plan that wants an index is not one in which nothing is wrong. */}
        <Ledger plan={withProposals(plan, proposed.data?.proposals ?? [])} />
      </div>
      {plan.server === null ? null : <Proposals planKey={planKey} />}
      {plan.server === null || plan.query_id === null ? null : (
        <InDeadlocks server={plan.server} query={plan.query_id} spec={windowOf(search)} />
      )}
    </div>
  );
};
