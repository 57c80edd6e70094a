import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { ApiError } from "../../api/problem";
import { serversQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";
import { TlsChoice } from "./TlsChoice";

type Form = Omit<Schemas["ServerBody"], "period_ms">;

const EMPTY: Form = {
  name: "",
  host: "",
  port: 5432,
  database: "postgres",
  username: "faena",
  password: "",
  sslmode: "",
  cores: null,
  passfile: "",
  service: "",
};

interface FieldProps {
  readonly label: string;
  readonly value: string;
  readonly onChange: (value: string) => void;
  readonly type?: string;
  readonly wrong?: boolean;
}

const Field = ({ label, value, onChange, type = "text", wrong = false }: FieldProps) => (
  <label className="block">
    <span className="text-muted block text-sm">{label}</span>
    <input
      type={type}
      value={value}
      aria-invalid={wrong}
      onChange={(event) => onChange(event.target.value)}
      className={`bg-raised w-full border px-2 py-1 ${wrong ? "border-danger" : "border-line"}`}
    />
  </label>
);

/** Tries a connection step by step, shows what mends each gap, and saves only what works. */
export const ConnectDialog = ({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) => {
  const [form, setForm] = useState<Form>(EMPTY);
  const queries = useQueryClient();
  const body = { ...form, period_ms: 1000 };
  const check = useMutation({ mutationFn: () => ask(client.POST("/api/v1/servers/check", { body })) });
  const connect = useMutation({
    mutationFn: () => ask(client.POST("/api/v1/servers", { body })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: serversQuery.queryKey });
      setForm(EMPTY);
      check.reset();
      onClose();
    },
  });
  const failure = connect.error ?? check.error;
  const wrong = failure instanceof ApiError ? failure.field : null;
  const change = (told: Partial<Form>): void => {
    setForm({ ...form, ...told });
    check.reset(); // what was found is of another connection
    connect.reset();
  };
  const text = (key: "name" | "host" | "database" | "username" | "password" | "passfile" | "service") => ({
    value: form[key],
    onChange: (value: string) => change({ [key]: value }),
    wrong: wrong === key,
  });
  return (
    <Dialog title="Connect a server" open={open} onClose={onClose}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          check.mutate();
        }}
      >
        <Field label="name on screen" {...text("name")} />
        <Field label="host" {...text("host")} />
        <Field
          label="port"
          value={String(form.port)}
          onChange={(v) => change({ port: Number(v) || 0 })}
          wrong={wrong === "port"}
        />
        <Field label="database" {...text("database")} />
        <Field label="user" {...text("username")} />
        <Field label="password" type="password" {...text("password")} />
        <Field label="or a password file on Faena’s machine" {...text("passfile")} />
        <Field label="or a service name, which knows host and database" {...text("service")} />
        <Field
          label="cores of its host (for the ceiling)"
          value={form.cores ? String(form.cores) : ""}
          onChange={(v) => change({ cores: Number(v) || null })}
          wrong={wrong === "cores"}
        />
        <TlsChoice value={form.sslmode} onChange={(sslmode) => change({ sslmode })} />
        <div className="col-span-2 flex gap-2">
          <Button type="submit" disabled={check.isPending}>
            {check.isPending ? "trying …" : "try the connection"}
          </Button>
          <Button look="action" disabled={!check.data?.ready || connect.isPending} onClick={() => connect.mutate()}>
            connect
          </Button>
        </div>
      </form>
      {failure ? (
        <Failure
          title="That did not work"
          detail={failure.message}
          remedy={failure instanceof ApiError ? failure.remedy : null}
        />
      ) : null}
      {check.data ? <CheckSteps check={check.data} /> : null}
    </Dialog>
  );
};

const CheckSteps = ({ check }: { readonly check: Schemas["CheckOut"] }) => (
  <div className="mt-4">
    <ul>
      {check.steps.map((step) => (
        <li key={step.name} className="border-line border-t py-1">
          <b className="font-semibold">
            {step.ok === null ? "not reached" : step.ok ? "ok" : step.needed ? "missing" : "lacking"}
          </b>{" "}
          {step.name}: {step.found}
          {step.remedy ? (
            <pre className="bg-raised mt-1 p-2 font-mono text-xs whitespace-pre-wrap">{step.remedy}</pre>
          ) : null}
        </li>
      ))}
    </ul>
    <details className="mt-2">
      <summary className="hover:text-accent cursor-pointer">
        script for a role that sees all it needs and can change nothing
      </summary>
      <pre className="bg-raised mt-1 p-2 font-mono text-xs whitespace-pre-wrap">{check.role_script}</pre>
    </details>
  </div>
);
