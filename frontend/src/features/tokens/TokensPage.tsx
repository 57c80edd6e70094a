import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type SubmitEvent, useState } from "react";

import { ask, client, type Schemas } from "../../api/client";
import { present, when } from "../../lib/time";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { Failure } from "../../ui/Failure";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { type Token, tokensQuery } from "./queries";

/** Tokens by which programs use the API: one's own, and for admins those of everybody and of machines. */
export const TokensPage = ({ role }: { readonly role: string }) => {
  const found = useQuery(tokensQuery);
  return (
    <div className="pane px-6 pt-3 pb-6">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">API tokens</h1>
        <Link to="/reference" className="text-accent text-sm underline">
          API reference
        </Link>
      </div>
      <p className="text-muted max-w-prose">
        A program that sends <code className="font-mono text-xs">Authorization: Bearer …</code> asks everything that
        this application can tell, as far as the scope of its token goes.
      </p>
      <Make role={role} />
      <Answer of={found} what="the tokens">
        {(rows) =>
          rows.length === 0 ? (
            <p className="text-muted mt-4">{role === "admin" ? "Nobody has a token." : "You have no token."}</p>
          ) : (
            <DataTable
              id="tokens"
              label="API tokens"
              columns={COLUMNS}
              rows={rows}
              rowKey={(one) => String(one.id)}
              sort={{ by: "name", descending: false }}
              className="mt-3"
            />
          )
        }
      </Answer>
    </div>
  );
};

const SCOPES: Readonly<Record<string, readonly (readonly [string, string])[]>> = {
  viewer: [["read", "read"]],
  operator: [
    ["read", "read"],
    ["act", "read and act"],
  ],
  admin: [
    ["read", "read"],
    ["act", "read and act"],
    ["manage", "manage"],
  ],
};
const FIELD = "bg-raised border-strong block border px-2 py-0.5";

const Make = ({ role }: { readonly role: string }) => {
  const queries = useQueryClient();
  const [made, setMade] = useState<Schemas["ApiTokenMadeOut"] | null>(null);
  const make = useMutation({
    mutationFn: (body: Schemas["ApiTokenBody"]) => ask(client.POST("/api/v1/tokens", { body })),
    onSuccess: (told) => {
      setMade(told);
      void queries.invalidateQueries({ queryKey: tokensQuery.queryKey });
    },
  });
  const submit = (event: SubmitEvent<HTMLFormElement>): void => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const word = (name: string): string => {
      const value = form.get(name);
      return typeof value === "string" ? value.trim() : "";
    };
    make.mutate({
      name: word("name"),
      scope: word("scope"),
      days: Number(word("days")),
      machine: form.get("machine") === "on",
    });
  };
  return (
    <>
      <form aria-label="a new token" className="mt-3 flex flex-wrap items-end gap-4 text-sm" onSubmit={submit}>
        <label>
          <span className="text-muted">name</span>
          <input name="name" maxLength={80} required className={FIELD} />
        </label>
        <label>
          <span className="text-muted">may</span>
          <select name="scope" className={FIELD}>
            {(SCOPES[role] ?? []).map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
        <label>
          <span className="text-muted">for days</span>
          <input name="days" type="number" min={1} max={366} defaultValue={90} className={`${FIELD} w-20`} />
        </label>
        {role === "admin" ? (
          <label className="flex min-h-6 items-center gap-1">
            <input name="machine" type="checkbox" /> of a machine, not mine
          </label>
        ) : null}
        <Button type="submit" look="action" disabled={make.isPending}>
          make a token
        </Button>
      </form>
      {make.error ? <Failure title="No token was made" detail={make.error.message} /> : null}
      {made ? (
        <p className="border-strong bg-raised mt-3 border px-3 py-2">
          <span role="status">
            The token of <b className="font-semibold">{made.about.name}</b>, shown this once:{" "}
            <code className="font-mono text-sm break-all">{made.token}</code>
          </span>{" "}
          <CopyButton text={made.token} label="copy the token" />
        </p>
      ) : null}
    </>
  );
};

const Revoke = ({ one }: { readonly one: Token }) => {
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const revoke = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/tokens/{token_id}", { params: { path: { token_id: one.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: tokensQuery.queryKey }),
  });
  return asked ? (
    <span className="flex gap-2">
      <Button onClick={() => revoke.mutate()} disabled={revoke.isPending}>
        end {one.name} now
      </Button>
      <Button onClick={() => setAsked(false)}>let {one.name} be</Button>
    </span>
  ) : (
    <Button onClick={() => setAsked(true)} aria-label={`revoke ${one.name}`}>
      revoke
    </Button>
  );
};

const COLUMNS: Column<Token>[] = [
  { id: "name", heading: "token", wide: true, value: (one) => one.name },
  {
    ...{ id: "owner", heading: "acts as", value: (one: Token) => one.owner },
    show: (one) => (one.machine ? `${one.owner}, a machine` : one.owner),
  },
  { id: "scope", heading: "may", value: (one) => one.scope_label },
  { id: "made", heading: "made", value: (one) => one.made, show: (one) => when(one.made, false) },
  {
    ...{ id: "used", heading: "last used", value: (one: Token) => one.last_used },
    show: (one) => (one.last_used === null ? "never" : when(one.last_used, false)),
  },
  {
    ...{ id: "expires", heading: "ends", value: (one: Token) => one.expires },
    show: (one) =>
      one.expires <= present() ? (
        <span className="text-danger">ended {when(one.expires, false)}</span>
      ) : (
        when(one.expires, false)
      ),
  },
  { id: "act", heading: "", fixed: true, value: () => null, show: (one) => <Revoke one={one} /> },
];
