import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../../api/client";
import { ApiError } from "../../api/problem";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { type Capture, type CaptureBody, costWords, readSpans, shareAt } from "./model";
import { Schedule } from "./Schedule";

interface Props {
  readonly server: number;
  readonly capture: Capture;
  readonly canChange: boolean;
}

const NUMBERS = [
  ["period_ms", "a sample every", "ms"],
  ["slow_ms", "a statement is slow from", "ms"],
  ["sample_retention_days", "keep samples for", "days"],
  ["sum_retention_days", "keep sums by minute and hour for", "days"],
  ["counter_retention_days", "keep statement counters for", "days"],
  ["execution_retention_days", "keep single executions for", "days"],
  ["machine_retention_days", "keep figures of machine and tables for", "days"],
] as const;
const WORDS = [
  ["group", "group (a primary and its replicas share one)"],
  ["storage", "disk (servers on the same one share its name)"],
  ["machine", "machine, as its host agent calls it"],
  ["time_zone", "time zone of its days and nights (empty: that of its log)"],
] as const;

const SETTINGS = [
  ...NUMBERS.map(([name]) => name),
  ...WORDS.map(([name]) => name),
  "schedule",
  "cores",
  "log",
  "fast_share",
  "keep_parameters",
] as const;

/** Period, schedule, thresholds, retention, and where the server belongs, with the measured cost beside the choice. */
export const CaptureForm = ({ server, capture, canChange }: Props) => {
  const queries = useQueryClient();
  const [form, setForm] = useState<CaptureBody>(() => bodyOf(capture));
  const save = useMutation({
    mutationFn: () =>
      ask(client.PUT("/api/v1/servers/{server_id}/capture", { params: { path: { server_id: server } }, body: form })),
    onSuccess: (fresh) => {
      queries.setQueryData(["capture", server], fresh);
      setForm(bodyOf(fresh));
    },
  });
  const wrong = save.error instanceof ApiError ? save.error.field : null;
  const share = shareAt(capture.sample_ms, form.period_ms);
  const dear = share !== null && share > capture.dear_share;
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <h1 className="border-strong border-b text-base font-semibold">How {capture.name} is captured</h1>
      <p className={`py-1 ${dear ? "text-danger font-semibold" : "text-muted"}`}>
        {!capture.can.includes("sample") ? "It is not sampled: its samples come from files" : costWords(share)}.
        {capture.sample_ms === null ? "" : ` A sample takes ${capture.sample_ms.toFixed(1)} ms.`}
      </p>
      <fieldset disabled={!canChange} className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 gap-y-1">
        <Fields form={form} wrong={wrong} onForm={setForm} />
      </fieldset>
      <Schedule
        spans={readSpans(form.schedule)}
        disabled={!canChange}
        wrong={wrong === "schedule"}
        onSpans={(spans) => setForm({ ...form, schedule: spans.map((one) => ({ ...one })) })}
      />
      {dear ? (
        <label className="mt-2 flex items-center gap-1">
          <input
            type="checkbox"
            checked={form.confirmed}
            onChange={(event) => setForm({ ...form, confirmed: event.target.checked })}
          />
          yes, at that cost
        </label>
      ) : null}
      <div className="mt-3 flex items-center gap-3">
        <Button type="submit" look="action" disabled={!canChange || save.isPending}>
          {save.isPending ? "saving …" : "save"}
        </Button>
        {save.isSuccess ? <span className="text-muted">saved; the collector follows within seconds</span> : null}
        {canChange ? null : <span className="text-muted">Admins can change this.</span>}
      </div>
      {save.error ? <Failure title="That was not saved" detail={save.error.message} /> : null}
    </form>
  );
};

interface FieldsProps {
  readonly form: CaptureBody;
  readonly wrong: string | null; // the field that was refused
  readonly onForm: (form: CaptureBody) => void;
}

const FIELD = "bg-raised border px-1";

const Fields = (props: FieldsProps) => (
  <>
    <Numbers {...props} />
    <Words {...props} />
  </>
);

const Numbers = ({ form, wrong, onForm }: FieldsProps) => (
  <>
    {NUMBERS.map(([name, label, unit]) => (
      <label key={name} className="contents">
        <span>{label}</span>
        <span>
          <input
            value={String(form[name])}
            inputMode="numeric"
            aria-invalid={wrong === name}
            onChange={(event) => onForm({ ...form, [name]: Number(event.target.value) || 0 })}
            className={`${FIELD} w-20 text-right ${wrong === name ? "border-danger" : ""}`}
          />{" "}
          <span className="text-muted inline-block w-8">{unit}</span>
        </span>
      </label>
    ))}
    <label className="contents">
      <span>cores of its machine</span>
      <span>
        <input
          value={form.cores === null ? "" : String(form.cores)}
          inputMode="numeric"
          aria-invalid={wrong === "cores"}
          onChange={(event) => onForm({ ...form, cores: Number(event.target.value) || null })}
          className={`${FIELD} w-20 text-right`}
        />{" "}
        <span className="inline-block w-8" />
      </span>
    </label>
    <label className="contents">
      <span>of faster executions in its log, keep</span>
      <span>
        <input
          defaultValue={String(Number((form.fast_share * 100).toPrecision(4)))}
          inputMode="decimal"
          aria-invalid={wrong === "fast_share"}
          onChange={(event) => onForm({ ...form, fast_share: (Number(event.target.value) || 0) / 100 })}
          className={`${FIELD} w-20 text-right`}
        />{" "}
        <span className="text-muted inline-block w-8">%</span>
      </span>
    </label>
  </>
);

const Words = ({ form, wrong, onForm }: FieldsProps) => (
  <>
    <label className="contents">
      <span>its log is read (a path, “server” for through it, or empty)</span>
      <input
        value={form.log}
        aria-invalid={wrong === "log"}
        onChange={(event) => onForm({ ...form, log: event.target.value })}
        className={`${FIELD} w-44`}
      />
    </label>
    <label className="contents">
      <span>keep literals and parameters of executions (personal data)</span>
      <span>
        <input
          type="checkbox"
          checked={form.keep_parameters}
          onChange={(event) => onForm({ ...form, keep_parameters: event.target.checked })}
        />
      </span>
    </label>
    {WORDS.map(([name, label]) => (
      <label key={name} className="contents">
        <span>{label}</span>
        <input
          value={form[name]}
          onChange={(event) => onForm({ ...form, [name]: event.target.value })}
          className={`${FIELD} w-44`}
        />
      </label>
    ))}
  </>
);

const bodyOf = (capture: Capture): CaptureBody => ({
  ...(Object.fromEntries(SETTINGS.map((name) => [name, capture[name]])) as Pick<Capture, (typeof SETTINGS)[number]>),
  confirmed: false,
});
