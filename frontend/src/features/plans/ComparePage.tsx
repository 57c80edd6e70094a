import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { Aligned } from "./Aligned";
import { ItsStatement } from "./ItsStatement";
import { executedWords, planSentence } from "./model";
import { comparisonQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly planKey: string;
  readonly other: string;
  readonly server: string; // inside whose frame they are shown; empty: none
}

/** Two plans, matched step by step, each row with the figures of both. */
export const ComparePage = ({ planKey, other, server }: Props) => {
  const found = useQuery(comparisonQuery(planKey, other));
  if (!found.data)
    return (
      <div className="px-6">
        <AnswerState of={found} what="the plans" />
      </div>
    );
  const { before, after, sentence, executed } = found.data;
  const ofOne = before.server === after.server && before.query_id === after.query_id;
  return (
    <div className="px-6 py-3">
      <header className="flex items-baseline justify-between gap-6">
        <h1 className="text-base font-semibold">{executed || sentence}</h1>
        {ofOne ? <ItsStatement plan={before} /> : null}
      </header>
      {executed ? <p>{sentence}</p> : null}
      {(
        [
          ["First", before],
          ["Second", after],
        ] as const
      ).map(([label, plan]) => (
        <p key={label} className="text-muted">
          <Link
            {...(server
              ? { to: "/servers/$server/plans/$key", params: { server, key: plan.key } }
              : { to: "/plans/$key", params: { key: plan.key } })}
            className="text-accent underline"
          >
            {label}
            {plan.title ? `: ${plan.title}` : ""}
          </Link>{" "}
          {planSentence(plan)} {executedWords(plan)}
        </p>
      ))}
      <Aligned found={found.data} />
    </div>
  );
};
