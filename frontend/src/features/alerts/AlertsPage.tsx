import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import { when } from "../../lib/time";
import { counted, duration } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { Acts } from "./Acts";
import type { AlertsSearch } from "./alerts.route";
import { type Alert, MOST_ALERTS, alertsQuery } from "./queries";

interface Props {
  readonly search: AlertsSearch;
  readonly onSearch: (change: Partial<AlertsSearch>) => void;
}

const STATES = ["", "unread", "acknowledged", "snoozed", "handled"].map((value) => ({ value, label: value || "all" }));

/** Alerts of all servers: what fired, whether it goes on, and what became of it. */
export const AlertsPage = ({ search, onSearch }: Props) => {
  const found = useQuery(alertsQuery(search.became ?? ""));
  return (
    <div className="pane px-6 pt-3 pb-6">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">{found.data ? sentence(found.data, search.became) : "Alerts"}</h1>
        <span className="flex items-baseline gap-6 text-sm">
          <span>
            show{" "}
            <Choice
              label="alerts that are"
              value={search.became ?? ""}
              options={STATES}
              onChange={(became) => onSearch({ became })}
            />
          </span>
          <Link to="/troubles" className="text-accent underline">
            with leads and deadlocks
          </Link>
          <Link to="/conditions" className="text-accent underline">
            conditions and ways out
          </Link>
        </span>
      </div>
      <Answer of={found} what="the alerts">
        {(rows) =>
          rows.length === 0 ? (
            <p className="text-muted mt-4">
              {search.became ? `No alert is ${search.became}.` : "No condition has held yet on the servers you see."}
            </p>
          ) : (
            <DataTable
              id="alerts"
              label="alerts of all servers"
              columns={COLUMNS}
              rows={rows}
              most={MOST_ALERTS}
              rowKey={(one) => String(one.id)}
              sort={{ by: "fired", descending: true }}
              rowPx={62}
            />
          )
        }
      </Answer>
    </div>
  );
};

/** How many go on, and how many nobody has read. Of some alone nothing is said of all. */
export function sentence(rows: readonly Alert[], became = ""): string {
  const on = rows.filter((one) => one.over === null).length;
  const unread = rows.filter((one) => one.state === "unread").length;
  if (rows.length === 0) return "Alerts";
  if (became) {
    return `${counted(rows.length, "alert")} ${became}, ${on === 0 ? "none of which goes on" : `${on} of which ${on === 1 ? "goes" : "go"} on`}.`;
  }
  if (rows.length < MOST_ALERTS)
    return `${on === 0 ? "Nothing fires now" : counted(on, "alert goes on", "alerts go on")}, ${unread} unread.`;
  return `Of the newest ${rows.length} ${on === 0 ? "none goes" : `${on} go`} on, ${unread} are unread.`;
}

const lasted = (one: Alert): string =>
  one.over === null ? "goes on" : `over after ${duration(Math.max(one.over - one.began, 0))}`;

const COLUMNS: Column<Alert>[] = [
  {
    ...{ id: "headline", heading: "alert", wide: true, value: (one: Alert) => one.headline },
    say: (one) => one.headline,
    show: (one) => (
      <>
        <Link
          to="/alerts/$alert"
          params={{ alert: String(one.id) }}
          className={`text-accent hover:underline ${one.state === "unread" ? "font-semibold" : ""}`}
        >
          {one.headline}
        </Link>
        <div className="text-muted truncate text-sm">{one.firings.map((part) => part.sentence).join("; ")}</div>
      </>
    ),
  },
  {
    ...{ id: "severity", heading: "severity", value: (one: Alert) => one.severity },
    show: (one) => one.severity_label,
  },
  {
    ...{ id: "fired", heading: "since", value: (one: Alert) => one.began },
    show: (one) => (
      <>
        {when(one.began, false)}
        <div className={one.over === null ? "font-semibold" : "text-muted text-sm"}>{lasted(one)}</div>
      </>
    ),
  },
  {
    ...{ id: "told", heading: "told", align: "right", value: (one: Alert) => one.sent },
    show: (one) => (
      <>
        {one.muted ? "muted" : counted(one.sent, "notice")}
        {one.waiting ? <div className="text-danger text-sm">{one.waiting} not taken yet</div> : null}
      </>
    ),
  },
  {
    ...{ id: "state", heading: "what became of it", value: (one: Alert) => one.state },
    show: (one) => (
      <>
        <div>
          {one.state}
          {one.state_by ? ` by ${one.state_by}` : ""}
          {one.snoozed_until && one.state === "snoozed" ? ` until ${when(one.snoozed_until, false)}` : ""}
          {one.comments ? `, ${counted(one.comments, "comment")}` : ""}
        </div>
        {one.may_act ? <Acts of={one} /> : null}
      </>
    ),
  },
];
