import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type DragEvent, useState } from "react";

import { ask, client } from "../../api/client";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { when } from "../../lib/time";
import { AnswerState } from "../../ui/Answer";
import { recentPlansQuery } from "./queries";

interface Props {
  readonly onPlan: (key: string) => void;
}

/** Paste, drop or choose a plan in whatever form it was written down. */
export const BringPage = ({ onPlan }: Props) => {
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const [title, setTitle] = useState("");
  const bring = useMutation({
    mutationFn: () => ask(client.POST("/api/v1/plans", { body: { plan: text, title } })),
    onSuccess: (plan) => {
      queries.setQueryData(["plan", plan.key], plan);
      void queries.invalidateQueries({ queryKey: recentPlansQuery.queryKey });
      onPlan(plan.key);
    },
  });
  const read = (file: File | undefined): void => {
    if (!file) return;
    void file.text().then(setText);
    if (!title) setTitle(file.name);
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_264px] gap-8 px-6 py-4">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          bring.mutate();
        }}
      >
        <h1 className="text-base font-semibold">Read an execution plan</h1>
        <p className="text-muted mb-2">
          What EXPLAIN printed, as text, JSON, YAML or XML: as psql shows it, quoted in a mail, or inside a log entry.
          With ANALYZE and BUFFERS it tells where the time went; without, only what was expected.
        </p>
        <textarea
          value={text}
          spellCheck={false}
          aria-label="the plan"
          placeholder="EXPLAIN (ANALYZE, BUFFERS) SELECT …"
          onChange={(event) => setText(event.target.value)}
          onDragOver={(event: DragEvent) => event.preventDefault()}
          onDrop={(event: DragEvent) => {
            if (event.dataTransfer.files.length === 0) return;
            event.preventDefault();
            read(event.dataTransfer.files[0]);
          }}
          className="bg-raised border-line h-[420px] w-full border p-2 font-mono text-xs"
        />
        <div className="mt-2 flex items-center gap-4">
          <Button type="submit" look="action" disabled={text.trim() === "" || bring.isPending}>
            {bring.isPending ? "reading …" : "open the plan"}
          </Button>
          <input type="file" aria-label="file with a plan" onChange={(event) => read(event.target.files?.[0])} />
          <label className="ml-auto">
            title{" "}
            <input
              value={title}
              onChange={(event) => setTitle(event.target.value)}
              className="border-line bg-raised w-56 border px-1"
            />
          </label>
        </div>
        {bring.error ? <Failure title="This could not be read" detail={bring.error.message} /> : null}
      </form>
      <Brought />
    </div>
  );
};

/** Plans that were brought before, newest first. */
const Brought = () => {
  const recent = useQuery(recentPlansQuery);
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Plans you brought</h2>
      <AnswerState of={recent} what="your plans" />
      {recent.data?.length === 0 ? (
        <p className="text-muted">None yet. Each is kept under its link for 90 days.</p>
      ) : null}
      <ul>
        {recent.data?.map((one) => (
          <li key={one.key} className="border-line border-b py-0.5">
            <Link to="/plans/$key" params={{ key: one.key }} className="text-accent hover:underline">
              {one.title || "without a title"}
            </Link>
            <div className="text-muted text-sm">{when(Date.parse(one.brought_at))}</div>
          </li>
        ))}
      </ul>
    </section>
  );
};
