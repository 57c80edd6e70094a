import type { Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { stamp, when } from "../../lib/time";
import { duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { useAsk, useComparePlans, useOpenPlan } from "./asking";

interface Props {
  readonly server: number;
  readonly statement: Schemas["StatementOut"];
  readonly canAsk: boolean;
}

/** Plans the statement used, when each was in force, and asking the server for one. */
export const Plans = ({ server, statement, canAsk }: Props) => {
  const [first, second] = statement.plans;
  const open = useOpenPlan(server);
  const compare = useComparePlans(server);
  const question = useAsk(server);
  const unopened = open.error ?? compare.error;
  return (
    <section aria-label="Plans" className="mt-4">
      <h2 className="border-strong flex items-baseline gap-3 border-b font-semibold">
        Plans
        <span className="ml-auto flex gap-2 pb-0.5 text-sm font-normal">
          {first && second ? (
            <Button onClick={() => compare.mutate({ before: second.id, after: first.id })}>
              the two newest side by side
            </Button>
          ) : null}
          {canAsk ? (
            <Button
              disabled={question.isPending || !statement.text}
              onClick={() => question.mutate({ query_id: statement.query_id })}
            >
              {question.isPending ? "asking …" : "ask the server for its plan"}
            </Button>
          ) : null}
        </span>
      </h2>
      {question.error ? (
        <Failure
          title="The server gave no plan"
          detail={question.error.message}
          remedy={question.error instanceof ApiError ? question.error.remedy : null}
        />
      ) : null}
      {unopened ? <Failure title="The plan cannot be opened" detail={unopened.message} /> : null}
      {statement.plans.length === 0 ? (
        <p className="text-muted py-1 text-sm">
          No plan is known. The server logs them with auto_explain, or Faena can ask for an estimate.
        </p>
      ) : (
        <PlanTable statement={statement} onOpen={open.mutate} />
      )}
      {statement.switches.map((one) => (
        <p key={one.at} className="py-0.5 text-sm">
          <b className="font-semibold">{when(one.at)}</b> its plan changed from {one.before || "another"} to{" "}
          {one.after || "another"}.{" "}
          {one.before_plan !== null && one.after_plan !== null ? (
            <SideBySide before={one.before_plan} after={one.after_plan} onCompare={compare.mutate} />
          ) : null}
        </p>
      ))}
    </section>
  );
};

interface TableProps {
  readonly statement: Props["statement"];
  readonly onOpen: (plan: number) => void;
}

type Plan = Schemas["PlanSeenOut"];

const PlanTable = ({ statement, onOpen }: TableProps) => (
  <DataTable
    id="statement-plans"
    label="plans of the statement"
    columns={planColumns(statement)}
    rows={statement.plans}
    rowKey={(plan) => String(plan.id)}
    sort={{ by: "last", descending: true }}
    link={(plan, words, className) => (
      <button type="button" className={`${className} text-accent max-w-full text-left`} onClick={() => onOpen(plan.id)}>
        {words}
      </button>
    )}
  />
);

const planColumns = ({ start, end }: Props["statement"]): Column<Plan>[] => [
  {
    ...{ id: "gist", heading: "how it reaches its tables", wide: true, value: (plan: Plan) => plan.gist },
    say: (plan) => plan.gist,
    show: (plan) => (
      <>
        {plan.gist}
        {plan.asked ? <span className="text-muted"> (explained, not seen in use)</span> : null}
      </>
    ),
  },
  { id: "first", heading: "first seen", value: (plan) => plan.first, show: (plan) => when(plan.first) },
  { id: "last", heading: "last seen", value: (plan) => plan.last, show: (plan) => when(plan.last) },
  {
    ...{ id: "force", heading: "in force, of this window" },
    value: (plan) => plan.spans.reduce((sum, span) => sum + span.end - span.start, 0),
    show: (plan) => (
      <div className="w-40">
        <InForce plan={plan} start={start} end={end} />
      </div>
    ),
  },
  { id: "captured", heading: "captured", align: "right", value: (plan) => plan.executions || null },
  {
    ...{ id: "mean", heading: "mean", align: "right" as const, value: (plan: Plan) => plan.mean_ms },
    show: (plan) => (plan.mean_ms === null ? "" : duration(plan.mean_ms)),
  },
];

interface SideBySideProps {
  readonly before: number;
  readonly after: number;
  readonly onCompare: (plans: { readonly before: number; readonly after: number }) => void;
}

const SideBySide = ({ before, after, onCompare }: SideBySideProps) => (
  <button type="button" className="text-accent hover:underline" onClick={() => onCompare({ before, after })}>
    side by side
  </button>
);

interface InForceProps {
  readonly plan: Schemas["PlanSeenOut"];
  readonly start: number;
  readonly end: number;
}

/** When executions used a plan, on the axis of the window. */
const InForce = ({ plan, start, end }: InForceProps) => {
  const share = (at: number): number => (100 * (Math.min(Math.max(at, start), end) - start)) / (end - start);
  const words = plan.spans.map((span) => `${stamp(span.start)} to ${stamp(span.end)}`).join(", ");
  return (
    <svg width="100%" height="10" role="img" aria-label={words || "not seen in this window"}>
      <title>{words || "not seen in this window"}</title>
      <line x2="100%" y1="5" y2="5" stroke="var(--line)" />
      {plan.spans.map((span) => (
        <rect
          key={span.start}
          x={`${share(span.start)}%`}
          width={`${Math.max(0.8, share(span.end) - share(span.start))}%`}
          y="1"
          height="8"
          fill="var(--strong)"
        />
      ))}
    </svg>
  );
};
