import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SubmitEvent } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { serversQuery } from "../../api/queries";
import { present, when } from "../../lib/time";
import { AnswerState } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { conditionsQuery, mutesQuery } from "./queries";

type Mute = Schemas["MuteOut"];
const HOURS = [
  ["1", "an hour"],
  ["4", "4 hours"],
  ["24", "a day"],
  ["168", "a week"],
] as const;
const EACH = "each";
const FIELD = "bg-raised border-strong block border px-2 py-0.5";

/** Of what nobody is told for a while: a server, a condition, or the one on the other. Alerts are kept all the same. */
export const Mutes = ({ canAct }: { readonly canAct: boolean }) => {
  const found = useQuery(mutesQuery);
  return (
    <section aria-label="Muted" className="mt-6">
      <h2 className="border-strong border-b font-semibold">Muted</h2>
      <AnswerState of={found} what="what is muted" />
      {found.data?.length === 0 ? (
        <p className="text-muted py-1">Nothing is muted: everybody is told of everything.</p>
      ) : null}
      <ul>
        {(found.data ?? []).map((one) => (
          <li key={one.id} className="border-line flex items-baseline gap-4 border-b py-0.5">
            <span>
              {mutedWords(one)}, until {when(one.until, false)}
              <span className="text-muted">
                {" "}
                by {one.by}
                {one.reason ? `: ${one.reason}` : ""}
              </span>
            </span>
            {canAct ? <Unmute one={one} /> : null}
          </li>
        ))}
      </ul>
      {canAct ? <New /> : null}
    </section>
  );
};

/** "Sessions blocked on pier-1", "everything on pier-1", "Sessions blocked on all servers". */
export const mutedWords = (one: Pick<Mute, "condition" | "server">): string =>
  `${one.condition ?? "everything"} on ${one.server ?? "all servers"}`;

const Unmute = ({ one }: { readonly one: Mute }) => {
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/alerts/mutes/{mute_id}", { params: { path: { mute_id: one.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["alerts"] }),
  });
  return (
    <>
      <Button
        className="text-sm"
        onClick={() => end.mutate()}
        disabled={end.isPending}
        aria-label={`tell again: ${mutedWords(one)}`}
      >
        tell again
      </Button>
      {end.error ? <Failure title="It is muted still" detail={end.error.message} /> : null}
    </>
  );
};

const New = () => {
  const queries = useQueryClient();
  const servers = useQuery(serversQuery);
  const conditions = useQuery(conditionsQuery);
  const mute = useMutation({
    mutationFn: (body: Schemas["MuteBody"]) => ask(client.POST("/api/v1/alerts/mutes", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["alerts"] }),
  });
  const submit = (event: SubmitEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const word = (name: string): string => {
      const value = form.get(name);
      return typeof value === "string" ? value.trim() : "";
    };
    const chosen = (name: string): number | null => (word(name) === EACH ? null : Number(word(name)));
    mute.mutate({
      server: chosen("server"),
      condition: chosen("condition"),
      until: Math.round(present() + Number(word("hours")) * 3_600_000),
      reason: word("reason"),
    });
  };
  return (
    <form aria-label="mute" className="mt-2 flex flex-wrap items-end gap-4 text-sm" onSubmit={submit}>
      <Chosen words="condition" name="condition" among={conditions.data ?? []} each="everything" />
      <Chosen words="on" name="server" among={servers.data?.servers ?? []} each="all servers" />
      <label>
        <span className="text-muted">for</span>
        <select name="hours" className={FIELD}>
          {HOURS.map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </select>
      </label>
      <label className="grow">
        <span className="text-muted">because</span>
        <input name="reason" maxLength={1000} placeholder="what is going on" className={`${FIELD} w-full`} />
      </label>
      <Button type="submit" disabled={mute.isPending}>
        mute it
      </Button>
      {mute.error ? <Failure title="Nothing was muted" detail={mute.error.message} /> : null}
      {servers.error ? <AnswerState of={servers} what="the servers" /> : null}
    </form>
  );
};

interface ChosenProps {
  readonly words: string;
  readonly name: string;
  readonly among: readonly { readonly id: number; readonly name: string }[];
  readonly each: string;
}

/** One, or in so many words each: nobody should silence all of it by a press of the button alone. */
const Chosen = ({ words, name, among, each }: ChosenProps) => (
  <label>
    <span className="text-muted">{words}</span>
    <select name={name} required defaultValue="" className={`${FIELD} max-w-60`}>
      <option value="" disabled>
        choose
      </option>
      {among.map((one) => (
        <option key={one.id} value={one.id}>
          {one.name}
        </option>
      ))}
      <option value={EACH}>{each}</option>
    </select>
  </label>
);
