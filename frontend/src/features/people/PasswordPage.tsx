import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../../api/client";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";

/** One's own password. */
export const PasswordPage = () => {
  const [present, setPresent] = useState("");
  const [password, setPassword] = useState("");
  const change = useMutation({
    mutationFn: () => ask(client.PUT("/api/v1/session/password", { body: { present, password } })),
    onSuccess: () => {
      setPresent("");
      setPassword("");
    },
  });
  const look = "bg-raised border-line w-full border px-2 py-1";
  return (
    <form
      aria-label="Your password"
      className="max-w-md px-6 py-3"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate();
      }}
    >
      <h1 className="pb-2 text-lg font-semibold">Your password</h1>
      <label className="block pb-2">
        <span className="text-muted block text-sm">present password</span>
        <input
          type="password"
          autoComplete="current-password"
          value={present}
          onChange={(event) => setPresent(event.target.value)}
          className={look}
        />
      </label>
      <label className="block pb-2">
        <span className="text-muted block text-sm">new password, at least ten characters</span>
        <input
          type="password"
          autoComplete="new-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          className={look}
        />
      </label>
      {change.error ? <Failure title="It was not changed" detail={change.error.message} /> : null}
      {change.isSuccess ? <p role="status">It is changed; your sign-ins elsewhere have ended.</p> : null}
      <Button type="submit" look="action" disabled={change.isPending || present === "" || password === ""}>
        change it
      </Button>
    </form>
  );
};
