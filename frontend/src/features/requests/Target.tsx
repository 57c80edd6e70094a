import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";

interface Props {
  readonly server: number;
  readonly endpoint: Schemas["EndpointOut"];
  readonly canAct: boolean;
}

/** Within which time its requests should be answered; an operator can give it a target of its own. */
export const Target = ({ server, endpoint, canAct }: Props) => {
  const [typed, setTyped] = useState<string | null>(null);
  const queries = useQueryClient();
  const set = useMutation({
    mutationFn: (target_ms: number | null) =>
      ask(
        client.PUT("/api/v1/servers/{server_id}/requests/endpoints/{endpoint_id}/target", {
          params: { path: { server_id: server, endpoint_id: endpoint.id } },
          body: { target_ms },
        }),
      ),
    onSuccess: async () => {
      setTyped(null);
      await queries.invalidateQueries({ queryKey: ["endpoint", server, endpoint.id] });
    },
  });
  if (typed === null)
    return (
      <span className="text-muted shrink-0 text-sm">
        target {duration(endpoint.target_ms)}
        {endpoint.own_target ? "" : " (of all)"}{" "}
        {canAct ? (
          <button
            type="button"
            className="text-accent hover:underline"
            onClick={() => setTyped(String(endpoint.target_ms))}
          >
            change
          </button>
        ) : null}
      </span>
    );
  return (
    <form
      className="flex shrink-0 items-center gap-2 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        set.mutate(typed.trim() === "" ? null : Number(typed));
      }}
    >
      <label>
        target{" "}
        <input
          value={typed}
          inputMode="numeric"
          onChange={(event) => setTyped(event.target.value)}
          className="border-line bg-raised w-20 border px-1 text-right"
          aria-label="target in milliseconds; empty: that of all"
        />{" "}
        ms, from now on
      </label>
      <Button type="submit" look="action" disabled={set.isPending}>
        set
      </Button>
      <Button onClick={() => setTyped(null)}>leave it</Button>
      {set.error ? <Failure title="It was not set" detail={set.error.message} /> : null}
    </form>
  );
};
