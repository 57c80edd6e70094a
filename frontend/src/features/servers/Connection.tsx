import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { ApiError } from "../../api/problem";
import { serversQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";
import { connectionQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { TlsChoice } from "./TlsChoice";

type Found = Schemas["ConnectionOut"];

/** How a server is reached: a changed host or password is entered here once; pausing and removing it, too. */
export const Connection = ({ server, can }: { readonly server: number; readonly can: readonly string[] }) => {
  const found = useQuery(connectionQuery(server));
  const [changing, setChanging] = useState(false);
  const [removing, setRemoving] = useState(false);
  const queries = useQueryClient();
  const pause = useMutation({
    mutationFn: (paused: boolean) =>
      ask(
        client.POST("/api/v1/servers/{server_id}/pause", { params: { path: { server_id: server } }, body: { paused } }),
      ),
    onSettled: () => queries.invalidateQueries(),
  });
  if (!found.data) return <AnswerState of={found} what="the connection" />;
  const one = found.data;
  const where = one.host ? `${one.host}:${one.port}` : one.service ? `service ${one.service}` : "nowhere any more";
  return (
    <section aria-label="Connection">
      <h2 className="pb-1 text-lg font-semibold">Connection</h2>
      {can.includes("reach") ? (
        <p className="pb-1">
          {where}, database {one.database}, as {one.username}, TLS {one.sslmode}
        </p>
      ) : (
        <p className="text-muted pb-1">This server has no connection that could be tried or changed.</p>
      )}
      {pause.error ? <Failure title="Nothing was changed" detail={pause.error.message} /> : null}
      <div className="flex gap-2">
        {can.includes("reach") ? <Button onClick={() => setChanging(true)}>change …</Button> : null}
        {!can.includes("sample") ? null : (
          <Button onClick={() => pause.mutate(!one.paused)} disabled={pause.isPending}>
            {one.paused ? "watch it again" : "pause the watching"}
          </Button>
        )}
        <Button onClick={() => setRemoving(true)}>remove …</Button>
      </div>
      {changing ? <ChangeDialog server={server} found={one} onClose={() => setChanging(false)} /> : null}
      {removing ? <RemoveDialog server={server} name={one.name} onClose={() => setRemoving(false)} /> : null}
    </section>
  );
};

interface ChangeProps {
  readonly server: number;
  readonly found: Found;
  readonly onClose: () => void;
}

const FIELDS = [
  ["name", "name on screen"],
  ["host", "host"],
  ["database", "database"],
  ["username", "user"],
] as const;

type Form = ChangeProps["found"] & { readonly password: string };

const LOOK = "bg-raised w-full border px-2 py-1";

/** Tries the connection, and saves it only where it works. */
function useSave(server: number, form: Form, onDone: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => {
      return ask(
        client.PUT("/api/v1/servers/{server_id}/connection", {
          params: { path: { server_id: server } },
          body: {
            name: form.name,
            host: form.host,
            port: form.port,
            database: form.database,
            username: form.username,
            password: form.password,
            sslmode: form.sslmode,
            cores: form.cores,
            passfile: form.passfile,
            service: form.service,
            period_ms: 1000,
            keep_password: form.has_password && form.password === "",
          },
        }),
      );
    },
    onSuccess: async () => {
      await queries.invalidateQueries();
      onDone();
    },
  });
}

const ChangeDialog = ({ server, found, onClose }: ChangeProps) => {
  const [form, setForm] = useState<Form>({ ...found, password: "" });
  const save = useSave(server, form, onClose);
  const wrong = save.error instanceof ApiError ? save.error.field : null;
  return (
    <Dialog open title={`How ${found.name} is reached`} onClose={onClose}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        {FIELDS.map(([name, label]) => (
          <label key={name} className="block">
            <span className="text-muted block text-sm">{label}</span>
            <input
              value={form[name]}
              onChange={(event) => setForm({ ...form, [name]: event.target.value })}
              aria-invalid={wrong === name}
              className={LOOK}
            />
          </label>
        ))}
        <label className="block">
          <span className="text-muted block text-sm">port</span>
          <input
            value={String(form.port)}
            onChange={(event) => setForm({ ...form, port: Number(event.target.value) || 0 })}
            aria-invalid={wrong === "port"}
            className={LOOK}
          />
        </label>
        <label className="block">
          <span className="text-muted block text-sm">
            {found.has_password ? "new password (empty: the one that is kept)" : "password"}
          </span>
          <input
            type="password"
            autoComplete="new-password"
            value={form.password}
            onChange={(event) => setForm({ ...form, password: event.target.value })}
            aria-invalid={wrong === "password"}
            className={LOOK}
          />
        </label>
        <TlsChoice value={form.sslmode} onChange={(sslmode) => setForm({ ...form, sslmode })} />
        <div className="col-span-2">
          {save.error ? (
            <Failure
              title="Nothing was changed"
              detail={save.error.message}
              remedy={save.error instanceof ApiError ? save.error.remedy : null}
            />
          ) : null}
          <div className="flex justify-end gap-2 pt-2">
            <Button onClick={onClose}>cancel</Button>
            <Button type="submit" look="action" disabled={save.isPending}>
              {save.isPending ? "trying …" : "try it and save"}
            </Button>
          </div>
        </div>
      </form>
    </Dialog>
  );
};

interface RemoveProps {
  readonly server: number;
  readonly name: string;
  readonly onClose: () => void;
}

const RemoveDialog = ({ server, name, onClose }: RemoveProps) => {
  const [written, setWritten] = useState("");
  const [keep, setKeep] = useState(true);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const remove = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/servers/{server_id}/remove", {
          params: { path: { server_id: server } },
          body: { name: written, keep_data: keep },
        }),
      ),
    onSuccess: async () => {
      await navigate({ to: "/" });
      await queries.invalidateQueries({ queryKey: serversQuery.queryKey });
    },
  });
  return (
    <Dialog open title={`Remove ${name}`} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          remove.mutate();
        }}
      >
        <fieldset className="pb-3">
          <label className="flex gap-2">
            <input type="radio" name="data" checked={keep} onChange={() => setKeep(true)} />
            stop watching it and forget its password; its past stays to be looked at
          </label>
          <label className="flex gap-2">
            <input type="radio" name="data" checked={!keep} onChange={() => setKeep(false)} />
            with all that was captured of it: that cannot be taken back
          </label>
        </fieldset>
        <label className="block">
          <span className="text-muted block text-sm">write its name, {name}, to go on</span>
          <input
            value={written}
            onChange={(event) => setWritten(event.target.value)}
            className="bg-raised border-line w-full border px-2 py-1"
          />
        </label>
        {remove.error ? <Failure title="It was not removed" detail={remove.error.message} /> : null}
        <div className="flex justify-end gap-2 pt-3">
          <Button onClick={onClose}>cancel</Button>
          <Button type="submit" look="action" disabled={written !== name || remove.isPending}>
            {keep ? "stop watching it" : "remove it with its data"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
};
