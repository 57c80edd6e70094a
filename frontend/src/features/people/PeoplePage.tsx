import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { type Schemas, ask, client } from "../../api/client";
import { when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { Dialog } from "../../ui/Dialog";
import { AddPerson } from "./AddPerson";
import { GroupsField } from "./GroupsField";
import { peopleQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";

type Person = Schemas["PersonOut"];
const ROLES = ["viewer", "operator", "admin"] as const;

/** Who has an account, and what each may do. */
export const PeoplePage = ({ self }: { readonly self: string }) => {
  const people = useQuery(peopleQuery);
  const [resetting, setResetting] = useState<Person | null>(null);
  const queries = useQueryClient();
  const change = useMutation({
    mutationFn: ({ id, ...body }: { readonly id: number } & Partial<Schemas["PersonBody"]>) =>
      ask(
        client.PATCH("/api/v1/people/{person_id}", {
          params: { path: { person_id: id } },
          body: { role: null, may_run: null, active: null, operates: null, sees: null, ...body },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: peopleQuery.queryKey }),
  });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_17rem] gap-8 px-6 py-3">
      <section aria-label="People">
        <h1 className="pb-1 text-lg font-semibold">People</h1>
        <p className="text-muted pb-2 text-sm">
          A viewer sees everything but literals and cannot ask servers, on all servers or on those of some groups alone;
          an operator also acts on servers and sees literals where they are kept, on all servers or on those of some
          groups; an admin also connects servers and manages people.
        </p>
        <AnswerState of={people} what="the people" />
        {change.error ? <Failure title="Nothing was changed" detail={change.error.message} /> : null}
        <DataTable
          id="people"
          label="people"
          columns={columnsOf(self, (id, body) => change.mutate({ id, ...body }), setResetting)}
          rows={people.data ?? []}
          rowKey={(one) => String(one.id)}
          sort={{ by: "name", descending: false }}
          mark={(one) => (one.active ? undefined : "text-muted")}
        />
      </section>
      <AddPerson />
      <ResetDialog person={resetting} onClose={() => setResetting(null)} />
    </div>
  );
};

const columnsOf = (
  self: string,
  onChange: (id: number, body: Partial<Schemas["PersonBody"]>) => void,
  onReset: (person: Person) => void,
): Column<Person>[] => [
  {
    ...{ id: "name", heading: "name", value: (one: Person) => one.username },
    show: (one) => (
      <>
        {one.username}
        {one.username === self ? <span className="text-muted text-sm"> (you)</span> : null}
      </>
    ),
  },
  {
    ...{ id: "role", heading: "role", value: (one: Person) => ROLES.indexOf(one.role) },
    show: (one) => (
      <select
        aria-label={`role of ${one.username}`}
        value={one.role}
        className="bg-raised border-line border px-1"
        onChange={(event) => onChange(one.id, { role: ROLES.find((role) => role === event.target.value) ?? null })}
      >
        {ROLES.map((role) => (
          <option key={role}>{role}</option>
        ))}
      </select>
    ),
  },
  {
    ...{ id: "run", heading: "may run statements", value: (one: Person) => (one.may_run ? 1 : 0) },
    show: (one) => (
      <label className="flex items-center gap-1">
        <input
          type="checkbox"
          aria-label={`${one.username} may run statements on watched servers`}
          checked={one.may_run}
          disabled={one.role === "viewer"}
          onChange={(event) => onChange(one.id, { may_run: event.target.checked })}
        />
        {one.may_run && one.role !== "viewer" ? "yes" : "no"}
      </label>
    ),
  },
  groupsColumn("operates", "operator of groups", "none", onChange),
  groupsColumn("sees", "sees groups", "all", onChange),
  {
    ...{
      id: "last",
      heading: "last sign-in",
      value: (one: Person) => (one.last_sign_in ? Date.parse(one.last_sign_in) : null),
    },
    show: (one) => (one.last_sign_in ? when(Date.parse(one.last_sign_in)) : "never"),
  },
  {
    ...{ id: "account", heading: "account", value: (one: Person) => (one.active ? "on" : "off") },
    show: (one) => (
      <span className="flex gap-2 py-1">
        <Button onClick={() => onReset(one)}>new password …</Button>
        {one.username === self ? null : (
          <Button onClick={() => onChange(one.id, { active: !one.active })}>
            {one.active ? "switch off" : "switch on"}
          </Button>
        )}
      </span>
    ),
  },
];

/** Groups on whose servers a viewer is an operator, or which he sees alone; other roles act on all and see all. */
const groupsColumn = (
  id: "operates" | "sees",
  heading: string,
  none: string,
  onChange: (id: number, body: Partial<Schemas["PersonBody"]>) => void,
): Column<Person> => ({
  ...{ id, heading, value: (one: Person) => one[id].join(", ") },
  show: (one) =>
    one.role === "viewer" ? (
      <GroupsField
        key={one[id].join()}
        label={`groups that ${one.username} ${id}`}
        groups={one[id]}
        none={none}
        onChange={(groups) => onChange(one.id, { [id]: groups })}
      />
    ) : (
      "all"
    ),
});

const ResetDialog = ({ person, onClose }: { readonly person: Person | null; readonly onClose: () => void }) => {
  const [password, setPassword] = useState("");
  const reset = useMutation({
    mutationFn: (id: number) =>
      ask(
        client.PUT("/api/v1/people/{person_id}/password", { params: { path: { person_id: id } }, body: { password } }),
      ),
    onSuccess: () => {
      setPassword("");
      onClose();
    },
  });
  return (
    <Dialog open={person !== null} title={`A new password for ${person?.username ?? ""}`} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (person) reset.mutate(person.id);
        }}
      >
        <label className="block">
          <span className="text-muted block text-sm">password, at least ten characters; all sign-ins end</span>
          <input
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            className="bg-raised border-line w-full border px-2 py-1"
          />
        </label>
        {reset.error ? <Failure title="It was not changed" detail={reset.error.message} /> : null}
        <div className="flex justify-end gap-2 pt-3">
          <Button onClick={onClose}>cancel</Button>
          <Button type="submit" look="action" disabled={reset.isPending || password === ""}>
            set it
          </Button>
        </div>
      </form>
    </Dialog>
  );
};
