import { useMutation, useQueryClient } from "@tanstack/react-query";

import { present } from "../../lib/time";
import { Failure } from "../../ui/Failure";
import { type Alert, say } from "./queries";

const HOUR_MS = 3_600_000;

interface Props {
  readonly of: Pick<Alert, "id" | "state" | "headline">;
}

/** What can be done about an alert: acknowledged, snoozed for an hour, handled, or unread again. */
export const Acts = ({ of }: Props) => {
  const queries = useQueryClient();
  const act = useMutation({
    mutationFn: (state: string) => say(of.id, state, state === "snoozed" ? Math.round(present() + HOUR_MS) : 0),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["alerts"] }),
  });
  const acts = [
    ["acknowledged", "acknowledge"],
    ["snoozed", "snooze 1 h"],
    ["handled", "handled"],
    ["unread", "unread again"],
  ] as const;
  return (
    <span className="inline-flex flex-wrap items-center gap-x-3 text-sm">
      {acts
        .filter(([state]) => state !== of.state)
        .map(([state, words]) => (
          <button
            key={state}
            type="button"
            aria-label={`${words}: ${of.headline}`}
            className="hover:text-accent min-h-6 underline"
            disabled={act.isPending}
            onClick={() => act.mutate(state)}
          >
            {words}
          </button>
        ))}
      {act.error ? <Failure title="It was not noted" detail={act.error.message} /> : null}
    </span>
  );
};
