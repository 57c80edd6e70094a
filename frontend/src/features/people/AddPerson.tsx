import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { ApiError } from "../../api/problem";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { GroupsField } from "./GroupsField";
import { peopleQuery } from "./queries";

const EMPTY: Schemas["NewPersonBody"] = {
  username: "",
  password: "",
  role: "viewer",
  may_run: false,
  operates: [],
  sees: [],
};

export const AddPerson = () => {
  const [form, setForm] = useState(EMPTY);
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: () =>
      ask(client.POST("/api/v1/people", { body: { ...form, sees: form.role === "viewer" ? (form.sees ?? []) : [] } })),
    onSuccess: async () => {
      setForm(EMPTY);
      await queries.invalidateQueries({ queryKey: peopleQuery.queryKey });
    },
  });
  const wrong = add.error instanceof ApiError ? add.error.field : null;
  return (
    <form
      aria-label="Add a person"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <h2 className="pb-2 text-lg font-semibold">Add a person</h2>
      <label className="block pb-2">
        <span className="text-muted block text-sm">name</span>
        <input
          value={form.username}
          autoComplete="off"
          onChange={(event) => setForm({ ...form, username: event.target.value })}
          aria-invalid={wrong === "username"}
          className="bg-raised w-full border px-2 py-1"
        />
      </label>
      <label className="block pb-2">
        <span className="text-muted block text-sm">first password, at least ten characters</span>
        <input
          type="password"
          autoComplete="new-password"
          value={form.password}
          onChange={(event) => setForm({ ...form, password: event.target.value })}
          aria-invalid={wrong === "password"}
          className="bg-raised w-full border px-2 py-1"
        />
      </label>
      <label className="block pb-2">
        <span className="text-muted block text-sm">role</span>
        <select
          value={form.role}
          className="bg-raised border-line w-full border px-2 py-1"
          onChange={(event) => {
            const role = event.target.value;
            if (role === "viewer" || role === "operator" || role === "admin") setForm({ ...form, role });
          }}
        >
          <option>viewer</option>
          <option>operator</option>
          <option>admin</option>
        </select>
      </label>
      {form.role === "viewer" ? (
        <SeesField
          key={String(add.isSuccess && add.submittedAt)}
          groups={form.sees ?? []}
          onChange={(sees) => setForm({ ...form, sees })}
        />
      ) : null}
      {add.error ? <Failure title="Nobody was added" detail={add.error.message} /> : null}
      {add.isSuccess ? (
        <p role="status">
          {add.data.username} is added as {add.data.role}.
        </p>
      ) : null}
      <Button type="submit" look="action" disabled={add.isPending || form.username === "" || form.password === ""}>
        add
      </Button>
    </form>
  );
};

interface SeesProps {
  readonly groups: readonly string[];
  readonly onChange: (groups: string[]) => void;
}

const SeesField = ({ groups, onChange }: SeesProps) => (
  <div className="pb-2">
    <span className="text-muted block text-sm">sees the servers of these groups alone</span>
    <GroupsField
      label="groups that the new person sees"
      groups={groups}
      none="all servers"
      onChange={onChange}
      className="w-full py-1"
    />
  </div>
);
