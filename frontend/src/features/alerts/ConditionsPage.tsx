import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { ask, client } from "../../api/client";
import { present, when } from "../../lib/time";
import { counted, duration, share } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { Editor } from "./Editor";
import { Mutes } from "./Mutes";
import { Ways } from "./Ways";
import { type Condition, bodyOf, conditionsQuery, tryCondition } from "./queries";

const FORTNIGHT_MS = 14 * 86_400_000;

/** When somebody is told, on which servers, and by which ways. */
export const ConditionsPage = ({ role }: { readonly role: string }) => {
  const found = useQuery(conditionsQuery);
  const canAct = role === "operator" || role === "admin";
  const [edited, setEdited] = useState<Condition | "new" | null>(null);
  return (
    <div className="pane px-6 pt-3 pb-6">
      <p className="text-muted text-sm">
        <Link to="/alerts" className="text-accent underline">
          alerts
        </Link>
      </p>
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">When somebody is told</h1>
        {canAct ? <Button onClick={() => setEdited("new")}>new condition</Button> : null}
      </div>
      {edited === null ? null : (
        <Editor
          key={edited === "new" ? "new" : edited.id}
          of={edited === "new" ? null : edited}
          onDone={() => setEdited(null)}
        />
      )}
      <Answer of={found} what="the conditions">
        {(rows) => (
          <DataTable
            id="conditions"
            label="conditions of alerts"
            columns={columns(canAct, setEdited)}
            rows={rows}
            rowKey={(one) => String(one.id)}
            sort={{ by: "on", descending: true }}
            rowPx={50}
          />
        )}
      </Answer>
      <Mutes canAct={canAct} />
      <Ways admin={role === "admin"} />
    </div>
  );
};

const columns = (canAct: boolean, onEdit: (one: Condition) => void): Column<Condition>[] => [
  {
    ...{ id: "name", heading: "condition", value: (one: Condition) => one.name },
    show: (one) => (
      <>
        <b className="font-semibold">{one.name}</b>
        <div className="text-muted text-sm">
          {one.signal_label}
          {one.kinds.length ? ` (${one.kinds.join(", ").replaceAll("_", " ")})` : ""}: {one.in_words}
        </div>
      </>
    ),
  },
  { ...{ id: "severity", heading: "severity", value: (one: Condition) => one.severity_label } },
  {
    ...{ id: "where", heading: "looks at", value: where },
    show: (one) => where(one),
  },
  {
    ...{ id: "now", heading: "holds now", value: (one: Condition) => one.firing.join(", ") },
    show: (one) =>
      one.firing.length ? (
        <b className="font-semibold">{one.firing.join(", ")}</b>
      ) : one.enabled ? (
        "nowhere"
      ) : (
        "not looked at"
      ),
  },
  {
    ...{ id: "acts", heading: "on the past", value: () => null },
    show: (one) => <OnThePast of={one} />,
  },
  {
    ...{ id: "on", heading: "on", value: (one: Condition) => (one.enabled ? "on" : "off") },
    show: (one) => (canAct ? <Switches of={one} onEdit={onEdit} /> : one.enabled ? "on" : "off"),
  },
];

function where(one: Condition): string {
  const parts = [...(one.servers.length ? [counted(one.servers.length, "server")] : []), ...one.groups];
  const hours = one.schedule.length ? ", at certain hours" : "";
  return `${parts.join(", ") || "all servers"}${hours}`;
}

const Switches = ({ of, onEdit }: { readonly of: Condition; readonly onEdit: (one: Condition) => void }) => {
  const queries = useQueryClient();
  const turn = useMutation({
    mutationFn: (enabled: boolean) =>
      ask(
        client.PUT("/api/v1/conditions/{condition_id}/switch", {
          params: { path: { condition_id: of.id } },
          body: { enabled },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["conditions"] }),
  });
  return (
    <span className="flex items-center gap-3 text-sm">
      <label className="inline-flex min-h-6 items-center gap-1">
        <input
          type="checkbox"
          className="size-4"
          aria-label={`${of.name} is on`}
          checked={turn.isPending ? turn.variables : of.enabled}
          onChange={(event) => turn.mutate(event.target.checked)}
        />
        on
      </label>
      <button
        type="button"
        aria-label={`change ${of.name}`}
        className="hover:text-accent min-h-6 underline"
        onClick={() => onEdit(of)}
      >
        change
      </button>
      {turn.error ? <Failure title="It stays as it was" detail={turn.error.message} /> : null}
    </span>
  );
};

/** How often it would have fired in the last two weeks. */
const OnThePast = ({ of }: { readonly of: Condition }) => {
  const tried = useMutation({
    mutationFn: () => {
      const end = Math.floor(present() / 60_000) * 60_000;
      return tryCondition(bodyOf(of), end - FORTNIGHT_MS, end);
    },
  });
  if (tried.error) return <Failure title="It was not tried" detail={tried.error.message} />;
  if (tried.data)
    return (
      <details className="text-sm">
        <summary className="min-h-6">
          {tried.data.many === 0
            ? "would not have fired in two weeks"
            : `would have fired ${counted(tried.data.many, "time")}`}
          {tried.data.known < 0.99 ? `; ${share(tried.data.known)} of that time is known` : ""}
        </summary>
        <ul className="max-h-40 overflow-y-auto">
          {tried.data.times.map((one) => (
            <li key={`${one.server} ${one.fired}`}>
              <Link
                to="/servers/$server/load"
                params={{ server: String(one.server_id) }}
                search={{ from: one.began - 300_000, to: (one.over ?? one.fired) + 300_000 }}
                className="text-accent underline"
              >
                {when(one.began, false)}
              </Link>{" "}
              {one.server}
              {one.over === null ? "" : `, ${duration(one.over - one.began)}`}
            </li>
          ))}
        </ul>
      </details>
    );
  return (
    <button
      type="button"
      aria-label={tried.isPending ? `trying …: ${of.name}` : `try on two weeks: ${of.name}`}
      className="hover:text-accent min-h-6 text-sm underline"
      disabled={tried.isPending}
      onClick={() => tried.mutate()}
    >
      {tried.isPending ? "trying …" : "try on two weeks"}
    </button>
  );
};
