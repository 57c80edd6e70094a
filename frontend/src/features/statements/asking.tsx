// Getting at plans: those a server used, put under a link, and those it is asked for.
import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate, useRouter } from "@tanstack/react-router";

import { ask, client, type Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { serversQuery } from "../../api/queries";
import { duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";
import { runnable } from "./executions";

/** Whether one is still at the place where something was asked: an answer that comes late pulls nobody away. */
function useStillHere(): () => () => boolean {
  const router = useRouter();
  return () => {
    const at = router.state.location.pathname;
    return () => router.state.location.pathname === at;
  };
}

/** Goes to a captured plan. */
export function useOpenPlan(server: number) {
  const navigate = useNavigate();
  const stillHere = useStillHere();
  return useMutation({
    onMutate: stillHere,
    mutationFn: (plan: number) => linkTo(server, plan),
    onSuccess: (key, _, here) => {
      if (here()) void navigate({ to: "/servers/$server/plans/$key", params: { server: String(server), key } });
    },
  });
}

/** Goes to two captured plans beside each other. */
export function useComparePlans(server: number) {
  const navigate = useNavigate();
  const stillHere = useStillHere();
  return useMutation({
    onMutate: stillHere,
    mutationFn: (plans: { readonly before: number; readonly after: number }) =>
      Promise.all([linkTo(server, plans.before), linkTo(server, plans.after)]),
    onSuccess: ([key, other], _, here) => {
      if (here()) {
        const params = { server: String(server), key, other };
        void navigate({ to: "/servers/$server/plans/$key/against/$other", params });
      }
    },
  });
}

/** Puts a captured plan under a link and gives its key. */
async function linkTo(server: number, plan: number): Promise<string> {
  const path = { server_id: server, plan_id: plan };
  const found = await ask(client.POST("/api/v1/servers/{server_id}/captured-plans/{plan_id}", { params: { path } }));
  return found.key;
}

/** Asks the watched server for a plan and goes to it. */
export function useAsk(server: number) {
  const navigate = useNavigate();
  const stillHere = useStillHere();
  return useMutation({
    onMutate: stillHere,
    mutationFn: (body: Partial<Schemas["AskBody"]>) =>
      ask(
        client.POST("/api/v1/servers/{server_id}/ask", {
          params: { path: { server_id: server } },
          body: { query_id: null, text: "", execution: "", run: false, confirmed: false, ...body },
        }),
      ),
    onSuccess: (found, _, here) => {
      if (here())
        void navigate({ to: "/servers/$server/plans/$key", params: { server: String(server), key: found.key } });
    },
  });
}

interface RunProps {
  readonly server: number;
  readonly execution: Schemas["ExecutionOut"] | null;
  readonly onClose: () => void;
}

/** Running a statement to measure it is never one click: the dialog names what will run and where. */
export const RunDialog = ({ server, execution, onClose }: RunProps) => {
  const question = useAsk(server);
  const servers = useQuery(serversQuery).data?.servers ?? [];
  const name = servers.find((one) => one.id === server)?.name ?? "the watched server";
  const text = execution ? runnable(execution.statement, execution.parameters) : "";
  return (
    <Dialog open={execution !== null} title={`Run this on ${name}, once, to measure it`} onClose={onClose}>
      <pre className="bg-ground max-h-60 overflow-auto p-2 font-mono text-xs whitespace-pre-wrap">{text}</pre>
      <p className="py-2 text-sm">
        It took {execution ? duration(execution.took_ms) : ""} last time. It runs in a transaction that cannot write,
        calls nothing but the server’s own harmless functions, and is cancelled after a minute. That you ran it is kept
        in the record.
      </p>
      {question.error ? (
        <Failure
          title="It was not measured"
          detail={question.error.message}
          remedy={question.error instanceof ApiError ? question.error.remedy : null}
        />
      ) : null}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>no</Button>
        <Button
          look="action"
          disabled={question.isPending}
          onClick={() => {
            if (execution)
              question.mutate({
                query_id: execution.query_id,
                execution: `${execution.ended} ${execution.pid} ${execution.place}`,
                run: true,
                confirmed: true,
              });
          }}
        >
          {question.isPending ? "running …" : "yes, run it once"}
        </Button>
      </div>
    </Dialog>
  );
};
