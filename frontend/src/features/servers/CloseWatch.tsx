import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { clock } from "../../lib/time";
import { duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { costWords } from "./model";

interface Props {
  readonly server: number;
  readonly capture: Schemas["CaptureOut"];
  readonly canAct: boolean;
}

/** Ten samples a second for a while, then back by itself. */
export const CloseWatch = ({ server, capture, canAct }: Props) => {
  const queries = useQueryClient();
  const [minutes, setMinutes] = useState("10");
  const [confirmed, setConfirmed] = useState(false);
  const act = useMutation({
    mutationFn: (wanted: number) =>
      ask(
        client.POST("/api/v1/servers/{server_id}/close-watch", {
          params: { path: { server_id: server } },
          body: { minutes: wanted, confirmed },
        }),
      ),
    onSuccess: (fresh) => queries.setQueryData(["capture", server], fresh),
  });
  const until = capture.close_watch_until;
  const dear = (capture.close_cost_share ?? 0) > capture.dear_share;
  // What a sample costs is measured anew every few seconds: once asked, the question stays where it is.
  const [asks, setAsks] = useState(dear);
  if (dear && !asks) setAsks(true);
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Close watch</h2>
      <p className="text-muted py-1">
        Ten samples a second, for waits too short to be seen each second, and meanwhile everything its log reports
        executions, with parameters and plans. {costWords(capture.close_cost_share)}. It ends by itself, also when the
        collector is restarted meanwhile.
      </p>
      {until === null ? (
        <div className="flex items-center gap-3">
          <label>
            for{" "}
            <input
              value={minutes}
              inputMode="numeric"
              onChange={(event) => setMinutes(event.target.value)}
              className="border-line bg-raised w-14 border px-1 text-right"
              aria-label="minutes of close watch"
            />{" "}
            minutes
          </label>
          {asks ? (
            <label className="flex items-center gap-1">
              <input type="checkbox" checked={confirmed} onChange={(event) => setConfirmed(event.target.checked)} />
              yes, at that cost
            </label>
          ) : null}
          <Button look="action" disabled={!canAct || act.isPending} onClick={() => act.mutate(Number(minutes) || 0)}>
            watch closely
          </Button>
        </div>
      ) : (
        <div className="flex items-center gap-3">
          <b className="font-semibold">
            watched closely until {clock(until)}, {duration(Math.max(0, until - capture.now))} more
          </b>
          <Button disabled={!canAct || act.isPending} onClick={() => act.mutate(0)}>
            end it now
          </Button>
        </div>
      )}
      {canAct ? null : <p className="text-muted text-sm">Operators and admins can start it.</p>}
      {act.error ? (
        <Failure
          title="That was not done"
          detail={act.error.message}
          remedy={act.error instanceof ApiError ? act.error.remedy : null}
        />
      ) : null}
    </section>
  );
};
