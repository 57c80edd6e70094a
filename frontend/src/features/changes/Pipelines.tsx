import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../../api/client";
import { when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { Failure } from "../../ui/Failure";

interface Props {
  readonly server: number;
  readonly admin: boolean;
}

const key = (server: number) => ["pipelines", server];

/** Who may tell of changes by a token, and how it is done. */
export const Pipelines = ({ server, admin }: Props) => {
  const found = useQuery({
    queryKey: key(server),
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/pipelines", { params: { path: { server_id: server } }, signal })),
  });
  const [token, setToken] = useState("");
  return (
    <section aria-label="Pipelines" className="border-line mt-6 border-t pt-2 text-sm print:hidden">
      <h2 className="font-semibold">Told by pipelines</h2>
      <p className="text-muted">
        A release can tell of itself, so that it stands on every time axis. It needs a token and one call:
      </p>
      <pre className="bg-raised mt-1 overflow-x-auto p-2 font-mono text-xs">{EXAMPLE}</pre>
      <ul className="mt-1">
        {(found.data ?? []).map((one) => (
          <li key={one.id} className="flex items-baseline gap-3">
            <b className="font-semibold">{one.name}</b>
            <span className="text-muted">
              {one.server === null ? "all servers" : "this server"},{" "}
              {one.last_used === null ? "never used" : `last used ${when(one.last_used)}`}
            </span>
            {admin ? <Remove server={server} id={one.id} name={one.name} /> : null}
          </li>
        ))}
      </ul>
      {admin ? <Make server={server} onToken={setToken} /> : null}
      {token ? (
        <p role="status" className="bg-raised mt-1 flex items-center gap-2 p-2">
          The token, shown this once: <code className="font-mono text-xs break-all">{token}</code>
          <CopyButton text={token} label="copy the token" />
        </p>
      ) : null}
    </section>
  );
};

const EXAMPLE = `curl -X POST ${window.location.origin}/api/v1/changes -H "Authorization: Bearer $TOKEN" \\
  -H "Content-Type: application/json" \\
  -d '{"what": "booking-web 5.3.0", "version": "5.3.0", "link": "https://…"}'`;

const Make = ({ server, onToken }: { readonly server: number; readonly onToken: (token: string) => void }) => {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [every, setEvery] = useState(false);
  const make = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/v1/servers/{server_id}/pipelines", {
          params: { path: { server_id: server } },
          body: { name, every_server: every },
        }),
      ),
    onSuccess: (made) => {
      setName("");
      onToken(made.token);
      void queries.invalidateQueries({ queryKey: key(server) });
    },
  });
  return (
    <form
      className="mt-1 flex items-baseline gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <input
        value={name}
        onChange={(event) => setName(event.target.value)}
        aria-label="name of a pipeline"
        placeholder="name of a pipeline"
        className="border-line bg-raised border px-2"
      />
      <label className="text-muted">
        <input type="checkbox" checked={every} onChange={(event) => setEvery(event.target.checked)} /> of all servers
      </label>
      <Button type="submit" disabled={!name.trim() || make.isPending}>
        make a token
      </Button>
      {make.error ? <Failure title="No token was made" detail={make.error.message} /> : null}
    </form>
  );
};

const Remove = ({ server, id, name }: { readonly server: number; readonly id: number; readonly name: string }) => {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () =>
      ask(
        client.DELETE("/api/v1/servers/{server_id}/pipelines/{token_id}", {
          params: { path: { server_id: server, token_id: id } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: key(server) }),
  });
  return (
    <button
      type="button"
      className="hover:text-danger min-h-6"
      aria-label={`remove the token ${name}`}
      onClick={() => remove.mutate()}
    >
      remove
    </button>
  );
};
