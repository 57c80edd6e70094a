import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SubmitEvent, createContext, useContext, useState } from "react";

import { ask, client } from "../../api/client";
import { ApiError } from "../../api/problem";
import { SEVERITIES } from "../../lib/words/severities";
import { AnswerState } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Kinds, Reach, readHours } from "./Reach";
import { type Condition, type ConditionBody, bodyOf, waysQuery } from "./queries";

interface Props {
  readonly of: Condition | null;
  readonly onDone: () => void;
}

const NEW: ConditionBody = {
  name: "",
  signal: "blocked",
  level: 3,
  clears: 1,
  kinds: [],
  below: false,
  of_usual: false,
  for_ms: 60_000,
  clear_ms: 120_000,
  schedule: [],
  time_zone: "",
  severity: "soon",
  servers: [],
  groups: [],
  ways: [],
  close_watch_minutes: 0,
  enabled: true,
};

const number = (value: FormDataEntryValue | null): number => Number(typeof value === "string" ? value : 0);
const text = (value: FormDataEntryValue | null): string => (typeof value === "string" ? value.trim() : "");

/** What was entered, put on what was there before. */
export const read = (form: FormData, before: ConditionBody): ConditionBody => ({
  ...before,
  name: text(form.get("name")),
  signal: text(form.get("signal")) as ConditionBody["signal"],
  level: number(form.get("level")),
  clears: number(form.get("clears")),
  below: form.get("below") === "below",
  of_usual: form.get("usual") === "usual",
  for_ms: Math.round(number(form.get("for")) * 60_000),
  clear_ms: Math.round(number(form.get("clear")) * 60_000),
  severity: text(form.get("severity")) as ConditionBody["severity"],
  groups: text(form.get("groups"))
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean),
  ...(form.has("has-servers") ? { servers: form.getAll("server").map(number) } : {}),
  schedule: readHours(form, before.schedule),
  ...(form.has("has-kinds") ? { kinds: form.getAll("kind").map(text) } : {}),
  ...(form.has("has-ways") ? { ways: form.getAll("way").map(number) } : {}),
  close_watch_minutes: number(form.get("close")),
});

/** What was refused, and of which field. */
const Refused = createContext<{ readonly field: string; readonly why: string } | null>(null);
const SHOWN = ["name", "level", "of_usual", "kinds", "clears", "close_watch_minutes"]; // fields with words of their own

/** Why a field was refused, beside it. */
const Why = ({ of }: { readonly of: string }) => {
  const refused = useContext(Refused);
  return refused?.field === of ? (
    <span role="alert" className="text-danger">
      {refused.why}
    </span>
  ) : null;
};

/** A condition's form. What the form does not show, or not yet, stays as it is. */
export const Editor = ({ of, onDone }: Props) => {
  const queries = useQueryClient();
  const before = of === null ? NEW : bodyOf(of);
  const save = useMutation({
    mutationFn: (body: ConditionBody) =>
      of === null
        ? ask(client.POST("/api/v1/conditions", { body }))
        : ask(client.PUT("/api/v1/conditions/{condition_id}", { params: { path: { condition_id: of.id } }, body })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["conditions"] });
      onDone();
    },
  });
  const submit = (event: SubmitEvent<HTMLFormElement>): void => {
    event.preventDefault();
    save.mutate(read(new FormData(event.currentTarget), before));
  };
  const field = save.error instanceof ApiError ? save.error.field : null;
  const refused = field !== null && SHOWN.includes(field) ? { field, why: save.error?.message ?? "" } : null;
  return (
    <form
      aria-label={of === null ? "a new condition" : `the condition ${of.name}`}
      onSubmit={submit}
      className="border-line my-2 grid grid-cols-[max-content_minmax(0,1fr)] items-baseline gap-x-4 gap-y-1.5 border-y py-2 text-sm"
    >
      <Refused value={refused}>
        <label htmlFor="alert-name">name</label>
        <span className="flex flex-wrap items-baseline gap-2">
          <input id="alert-name" name="name" defaultValue={before.name} className={`${INPUT} min-w-40 grow`} />
          <Why of="name" />
        </span>
        <When before={before} />
        <span>over</span>
        <span className="flex flex-wrap items-baseline gap-2">
          at <Level name="clears" words="level at which it is over" value={before.clears} /> for
          <Level name="clear" words="minutes until it is over" value={before.clear_ms / 60_000} /> min
          <Why of="clears" />
        </span>
        <Rest before={before} />
      </Refused>
      <span />
      <span className="flex items-baseline gap-3">
        <Button type="submit" look="action" disabled={save.isPending}>
          save
        </Button>
        <Button onClick={onDone}>leave it</Button>
        {save.error && refused === null ? <Failure title="It was not saved" detail={save.error.message} /> : null}
      </span>
    </form>
  );
};

const INPUT = "border-line bg-raised border px-2";

interface LevelProps {
  readonly name: string;
  readonly words: string;
  readonly value: number;
}

const Level = ({ name, words, value }: LevelProps) => {
  const refused = useContext(Refused);
  return (
    <input
      name={name}
      aria-label={words}
      aria-invalid={refused?.field.startsWith(name) ?? false}
      type="number"
      step="any"
      min="0"
      defaultValue={value}
      className={`${INPUT} w-24`}
    />
  );
};

/** What is looked at, and how bad it must be for how long. */
const When = ({ before }: { readonly before: ConditionBody }) => {
  const [signal, setSignal] = useState(before.signal);
  const signals = useQuery({
    queryKey: ["signals"],
    queryFn: ({ signal: abort }) => ask(client.GET("/api/v1/signals", { signal: abort })),
    staleTime: Infinity,
  });
  const chosen = signals.data?.find((one) => one.signal === signal);
  const unit = chosen?.unit_label ?? "";
  return (
    <>
      <label htmlFor="alert-signal">when</label>
      <span className="flex flex-wrap items-baseline gap-2">
        <select
          id="alert-signal"
          name="signal"
          className={INPUT}
          value={signal}
          onChange={(event) => setSignal(event.target.value as typeof signal)}
        >
          {(signals.data ?? [{ signal: before.signal, label: before.signal }]).map((one) => (
            <option key={one.signal} value={one.signal}>
              {one.label}
            </option>
          ))}
        </select>
        <select name="below" aria-label="above or below" className={INPUT} defaultValue={before.below ? "below" : ""}>
          <option value="">reach</option>
          <option value="below">fall to</option>
        </select>
        <Level name="level" words="level" value={before.level} />
        {chosen?.with_usual ? (
          <select name="usual" aria-label="of what" className={INPUT} defaultValue={before.of_usual ? "usual" : ""}>
            <option value="">{unit || "as counted"}</option>
            <option value="usual">times what is usual</option>
          </select>
        ) : (
          <span className="text-muted">{unit}</span>
        )}
        {chosen && Object.keys(chosen.kinds).length > 0 ? <Kinds kinds={chosen.kinds} before={before} /> : null}
        for <Level name="for" words="minutes for which it holds" value={before.for_ms / 60_000} /> min
        <Why of="level" />
        <Why of="of_usual" />
        <Why of="kinds" />
      </span>
    </>
  );
};

/** How grave it is, where it is looked at, who is told, and what else is done. */
const Rest = ({ before }: { readonly before: ConditionBody }) => {
  const ways = useQuery(waysQuery);
  return (
    <>
      <label htmlFor="alert-severity">severity</label>
      <select id="alert-severity" name="severity" className={`${INPUT} w-fit`} defaultValue={before.severity}>
        {(["now", "soon", "note"] as const).map((value) => (
          <option key={value} value={value}>
            {SEVERITIES[value]}
          </option>
        ))}
      </select>
      <label htmlFor="alert-groups">groups</label>
      <input
        id="alert-groups"
        name="groups"
        placeholder="all servers; or groups, with commas"
        defaultValue={before.groups?.join(", ")}
        className={INPUT}
      />
      <Reach before={before} />
      <span>ways</span>
      <span className="flex flex-wrap gap-4">
        {(ways.data ?? []).map((one) => (
          <label key={one.id} className="inline-flex min-h-6 items-center gap-1">
            <input type="checkbox" name="way" value={one.id} defaultChecked={before.ways?.includes(one.id)} />
            {one.name}
          </label>
        ))}
        {ways.data ? <input type="hidden" name="has-ways" value="yes" /> : null}
        {ways.error ? <AnswerState of={ways} what="the ways" /> : <span className="text-muted">none chosen: all</span>}
      </span>
      <span>close watch</span>
      <span className="flex flex-wrap items-baseline gap-2">
        <Level name="close" words="minutes of close watch when it fires" value={before.close_watch_minutes} /> min when
        it fires
        <Why of="close_watch_minutes" />
      </span>
    </>
  );
};
