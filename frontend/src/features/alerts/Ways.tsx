import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type SubmitEvent, useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { Failure } from "../../ui/Failure";
import { type Way, waysQuery } from "./queries";

/** By which ways alerts go out, how the last one fared, and a trial of each. */
export const Ways = ({ admin }: { readonly admin: boolean }) => {
  const found = useQuery(waysQuery);
  const [secret, setSecret] = useState("");
  return (
    <section aria-label="Ways out" className="border-line mt-6 border-t pt-2">
      <h2 className="font-semibold">By which ways</h2>
      {found.data?.length === 0 ? (
        <p className="text-muted">There is none yet: alerts are kept in the list, and nobody is told.</p>
      ) : null}
      {found.error ? <Failure title="The ways cannot be read" detail={found.error.message} /> : null}
      <ul>
        {(found.data ?? []).map((one) => (
          <li key={one.id} className="flex flex-wrap items-baseline gap-x-4">
            <b className="font-semibold">{one.name}</b>
            <span className="text-muted">{leadsTo(one)}</span>
            <span className={one.last_error ? "text-danger" : "text-muted"}>{fared(one)}</span>
            {admin ? <WayActs of={one} /> : null}
          </li>
        ))}
      </ul>
      {admin ? <MakeWay onSecret={setSecret} /> : null}
      {secret ? (
        <p role="status" className="bg-raised mt-1 flex items-center gap-2 p-2 text-sm">
          The secret that signs its calls, shown this once:{" "}
          <code className="font-mono text-xs break-all">{secret}</code>
          <CopyButton text={secret} label="copy the secret" />
        </p>
      ) : null}
    </section>
  );
};

const plain = (value: unknown): string => (typeof value === "string" || typeof value === "number" ? String(value) : "");

export function leadsTo(one: Pick<Way, "kind" | "settings">): string {
  if (one.kind === "webhook") return `calls ${plain(one.settings["url"])}`;
  const to = one.settings["to"];
  const people = Array.isArray(to) ? to.map(plain).join(", ") : "";
  return `mails to ${people} by ${plain(one.settings["host"])}:${plain(one.settings["port"])}`;
}

export function fared(one: Pick<Way, "last_at" | "last_state" | "last_error">): string {
  if (one.last_at === null) return "nothing was sent by it yet";
  const words = { sent: "last one taken", waiting: "last one waits", given_up: "last one given up" }[
    one.last_state ?? ""
  ];
  return `${words ?? "last one"} ${when(one.last_at)}${one.last_error ? `: ${one.last_error}` : ""}`;
}

const WayActs = ({ of }: { readonly of: Way }) => {
  const queries = useQueryClient();
  const again = { onSuccess: () => queries.invalidateQueries({ queryKey: ["ways"] }) };
  const params = { params: { path: { way_id: of.id } } };
  const trial = useMutation({ mutationFn: () => ask(client.POST("/api/v1/ways/{way_id}/trial", params)), ...again });
  const remove = useMutation({ mutationFn: () => ask(client.DELETE("/api/v1/ways/{way_id}", params)), ...again });
  const [asked, setAsked] = useState(false);
  const wrong = trial.error ?? remove.error;
  return (
    <span className="flex items-baseline gap-3 text-sm">
      {asked ? (
        <>
          <Button onClick={() => remove.mutate()} disabled={remove.isPending}>
            remove {of.name} for good
          </Button>
          <Button onClick={() => setAsked(false)}>leave {of.name}</Button>
        </>
      ) : (
        <>
          <button
            type="button"
            aria-label={`send a trial by ${of.name}`}
            className="hover:text-accent min-h-6 underline"
            onClick={() => trial.mutate()}
          >
            send a trial
          </button>
          <button
            type="button"
            aria-label={`remove ${of.name}`}
            className="hover:text-danger min-h-6 underline"
            onClick={() => setAsked(true)}
          >
            remove
          </button>
        </>
      )}
      {wrong ? <Failure title="That was not done" detail={wrong.message} /> : null}
    </span>
  );
};

type Kind = Schemas["WayKind"];
const FIELDS: Readonly<Record<Kind, readonly (readonly [string, string])[]>> = {
  webhook: [["url", "address: https://…"]],
  email: [
    ["host", "mail server"],
    ["port", "port"],
    ["user", "user, if it wants one"],
    ["sender", "sender's address"],
    ["to", "addresses, with commas"],
  ],
};

const MakeWay = ({ onSecret }: { readonly onSecret: (secret: string) => void }) => {
  const queries = useQueryClient();
  const [kind, setKind] = useState<Kind>("email");
  const make = useMutation({
    mutationFn: (form: FormData) => {
      const text = (name: string): string => plain(form.get(name)).trim();
      const settings: Record<string, unknown> = Object.fromEntries(FIELDS[kind].map(([name]) => [name, text(name)]));
      if (kind === "email") settings["port"] = Number(text("port") || 587);
      if (kind === "email") settings["security"] = text("security");
      return ask(
        client.POST("/api/v1/ways", {
          body: { name: text("name"), kind, settings, secret: text("password"), enabled: true },
        }),
      );
    },
    onSuccess: (made) => {
      onSecret(made.secret);
      void queries.invalidateQueries({ queryKey: ["ways"] });
    },
  });
  const submit = (event: SubmitEvent<HTMLFormElement>): void => {
    event.preventDefault();
    make.mutate(new FormData(event.currentTarget));
  };
  const input = "border-line bg-raised border px-2";
  return (
    <form className="mt-2 flex flex-wrap items-baseline gap-2 text-sm" onSubmit={submit}>
      <select aria-label="kind of way" className={input} value={kind} onChange={(e) => setKind(e.target.value as Kind)}>
        <option value="email">e-mail</option>
        <option value="webhook">webhook</option>
      </select>
      <input name="name" aria-label="name of the way" placeholder="name" className={input} />
      {FIELDS[kind].map(([name, words]) => (
        <input key={name} name={name} aria-label={words} placeholder={words} className={input} />
      ))}
      {kind === "email" ? (
        <>
          <input name="password" type="password" aria-label="password" placeholder="password" className={input} />
          <select name="security" aria-label="security of the connection" className={input}>
            <option value="starttls">STARTTLS</option>
            <option value="tls">TLS</option>
            <option value="none">no TLS</option>
          </select>
        </>
      ) : null}
      <Button type="submit" disabled={make.isPending}>
        make a way
      </Button>
      {make.error ? <Failure title="The way was not made" detail={make.error.message} /> : null}
    </form>
  );
};
