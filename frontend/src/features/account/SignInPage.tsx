import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, keepCsrf } from "../../api/client";
import { sessionQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";

interface Props {
  readonly demo: boolean;
  readonly provider?: { readonly name: string; readonly back: string } | null; // who vouches for people here
  readonly refused?: string; // why it did not
  readonly onDone: () => void;
}

/** Name and password, or whoever vouches for people; nothing else stands in the way. */
export const SignInPage = ({ demo, provider = null, refused = "", onDone }: Props) => {
  const [username, setUsername] = useState("");
  const [password, setPassword] = useState("");
  const queries = useQueryClient();
  const signIn = useMutation({
    mutationFn: () => ask(client.POST("/api/v1/session", { body: { username, password } })),
    onSuccess: (session) => {
      keepCsrf(session.csrf);
      queries.setQueryData(sessionQuery.queryKey, session);
      onDone();
    },
  });
  return (
    <main className="mx-auto grid h-full max-w-sm content-center px-6">
      <h1 className="mb-1 text-3xl font-semibold">faena</h1>
      <p className="text-muted mb-6">Find out why a database is slow.</p>
      {provider ? (
        <a
          href={`/oidc/begin?back=${encodeURIComponent(provider.back)}`}
          className="bg-accent text-ground mb-6 rounded-sm px-2 py-1.5 text-center font-semibold"
        >
          sign in by {provider.name}
        </a>
      ) : null}
      {refused && !signIn.error ? <Failure title="Not signed in" detail={refused} /> : null}
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
      >
        <label>
          <span className="text-muted block text-sm">name</span>
          <input
            autoFocus
            autoComplete="username"
            required
            value={username}
            onChange={(e) => setUsername(e.target.value)}
            className="bg-raised border-strong w-full border px-2 py-1.5"
          />
        </label>
        <label>
          <span className="text-muted block text-sm">password</span>
          <input
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
            className="bg-raised border-strong w-full border px-2 py-1.5"
          />
        </label>
        <Button
          type="submit"
          look={provider ? "plain" : "action"}
          className="justify-center py-1.5"
          disabled={signIn.isPending}
        >
          sign in
        </Button>
      </form>
      {signIn.error ? <Failure title="Not signed in" detail={signIn.error.message} /> : null}
      {demo ? (
        <p className="text-muted mt-6 text-sm">
          This is the demo: sign in as viewer, operator or admin; the password of each is{" "}
          <code className="font-mono">tidewrack-demo</code>.
        </p>
      ) : null}
    </main>
  );
};
