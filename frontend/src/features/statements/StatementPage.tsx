import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { Waterline } from "../../charts/Waterline";
import { kindFill, isKind } from "../../charts/kinds";
import { DIMENSIONS, isDimension } from "../../lib/dimensions";
import { present } from "../../lib/time";
import { readPick } from "../../lib/trail";
import { PAGE_BYTES, bytes, count, duration, sessions, share } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { Failure } from "../../ui/Failure";
import { CostCharts } from "./CostCharts";
import { Distribution } from "./Distribution";
import { InCases } from "../../shell/InCases";
import { InDeadlocks } from "../../shell/InDeadlocks";
import { Memory } from "./Memory";
import { statementSentence, turningPoint } from "./model";
import { Nodes } from "./Nodes";
import { RunBy } from "./RunBy";
import { RunDialog, useAsk, useComparePlans } from "./asking";
import { Plans } from "./Plans";
import { statementQuery } from "./queries";
import { Star } from "./Star";
import type { StatementSearch } from "./statements.route";
import { Tables } from "./Tables";
import { AnswerState } from "../../ui/Answer";
import { useSubject } from "../../ui/offers";

interface Props {
  readonly server: number;
  readonly query: string;
  readonly search: StatementSearch;
  readonly onSearch: (change: Partial<StatementSearch>) => void;
  readonly onPick: (pick: string) => void;
  readonly role: string;
}

/** One statement in the window: what it waits for, how often it runs and what a call costs, who runs it. */
export const StatementPage = ({ server, query, search, onSearch, onPick, role }: Props) => {
  const statement = useQuery(statementQuery(server, query, windowOf(search), insideTrail(search)));
  const compare = useComparePlans(server);
  const found = statement.data;
  useSubject(found ? { about: "statement", key: query, title: (found.text ?? query).slice(0, 200) } : null);
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={statement} what="this statement" />
      </div>
    );
  const now = present();
  const changed = turningPoint(found);
  const marks = found.switches.map((one) => ({ at: one.at, label: "plan changed" }));
  const axis = { starts: found.starts, bucketMs: found.bucket_ms, start: found.start, end: found.end, now };
  return (
    <div className={`pane px-6 pb-6 ${statement.isPlaceholderData ? "opacity-50" : ""}`}>
      <AnswerState of={statement} what="this statement" />
      <div className="flex items-baseline justify-between gap-4 pt-2">
        <h1 className="text-base font-semibold">{statementSentence(found)}</h1>
        <span className="flex shrink-0 gap-2 text-sm">
          <Star server={server} query={query} starred={found.starred} />
          {changed ? (
            <Button look="action" onClick={() => compare.mutate(changed)}>
              compare the plans before and after
            </Button>
          ) : null}
          <Button onClick={() => onPick(`statement:${query}`)}>see its load in the sieve</Button>
        </span>
      </div>
      {compare.error ? <Failure title="The plans cannot be compared" detail={compare.error.message} /> : null}
      <StatementText statement={found} />
      <InCases server={server} about="statement" of={query} />
      {insideTrail(search).length ? (
        <p className="text-muted text-sm">
          Running, waiting, who and single executions are inside the trail. Calls, costs, plans and memory are of the
          whole statement: the server counts them for all together.
        </p>
      ) : null}
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)_340px] gap-6">
        <div className="min-w-0">
          <h2 className="mb-1 font-semibold">Running and waiting</h2>
          <div className="h-[190px]">
            <Waterline
              load={{ ...found, groups: found.waits, gaps: found.gaps }}
              cores={null}
              now={now}
              reading={statementSentence(found)}
              dimmed={[]}
              onBrush={(from, to) => onSearch({ from, to })}
              onHold={() => undefined}
            />
          </div>
          <CostCharts statement={found} marks={marks} axis={axis} />
        </div>
        <div className="min-w-0">
          <Totals statement={found} />
          {found.columns.map((column) => (
            <Who key={column.dimension} column={column} onPick={onPick} />
          ))}
        </div>
      </div>
      <Plans server={server} statement={found} canAsk={role !== "viewer"} />
      <Tables server={server} query={query} />
      <Single server={server} query={query} search={search} onSearch={onSearch} marks={marks} />
      <RunBy server={server} query={query} spec={windowOf(search)} />
      <InDeadlocks server={server} query={query} spec={windowOf(search)} />
      <Memory server={server} spec={windowOf(search)} statement={found} />
      <Nodes server={server} query={query} spec={windowOf(search)} />
    </div>
  );
};

const NO_TRAIL: readonly string[] = [];

/** The trail as far as it is of others than statements: this page is of one. */
const insideTrail = (search: StatementSearch): readonly string[] =>
  search.pick?.filter((text) => readPick(text).dimension !== "statement") ?? NO_TRAIL;

interface SingleProps extends Pick<Props, "server" | "query" | "search" | "onSearch"> {
  readonly marks: readonly { readonly at: number; readonly label: string }[];
}

/** Its single executions by time and duration, and asking for the plan of one of them. */
const Single = ({ server, query, search, onSearch, marks }: SingleProps) => {
  const [running, setRunning] = useState<Schemas["ExecutionOut"] | null>(null);
  const question = useAsk(server);
  const only = [`statement:${query}`, ...(search.only ?? [])];
  return (
    <section aria-label="Distribution" className="mt-4">
      <h2 className="border-strong mb-1 border-b font-semibold">Single executions</h2>
      <Distribution
        server={server}
        spec={windowOf(search)}
        only={only}
        trail={insideTrail(search)}
        region={search.region}
        onRegion={(region) => onSearch({ region })}
        marks={marks}
        onOnly={(next) => onSearch({ only: next.filter((one) => !one.startsWith("statement:")) })}
        onAsk={(execution, run) => {
          if (run) setRunning(execution);
          else
            question.mutate({
              query_id: execution.query_id,
              execution: `${execution.ended} ${execution.pid} ${execution.place}`,
            });
        }}
        showStatement={false}
      />
      {question.error ? (
        <Failure
          title="The server gave no plan"
          detail={question.error.message}
          remedy={question.error instanceof ApiError ? question.error.remedy : null}
        />
      ) : null}
      <RunDialog server={server} execution={running} onClose={() => setRunning(null)} />
    </section>
  );
};

const StatementText = ({ statement }: { readonly statement: Schemas["StatementOut"] }) => (
  <div className="border-line mt-1 flex items-start gap-2 border-y py-1">
    <pre
      className="max-h-32 grow overflow-auto font-mono text-xs whitespace-pre-wrap"
      tabIndex={0}
      role="region"
      aria-label="text of the statement"
    >
      {statement.text ??
        "Its text is not known (yet). The server gives it once the statement has ended for the first time."}
    </pre>
    {statement.text ? <CopyButton text={statement.text} label="copy the text" /> : null}
  </div>
);

const Totals = ({ statement }: { readonly statement: Schemas["StatementOut"] }) => {
  const t = statement.totals;
  if (!t) return <p className="text-muted text-sm">The server counted no call that ended in this window.</p>;
  const perCall = (value: number): number => value / t.calls;
  const rows: readonly (readonly [string, string, string])[] = [
    ["calls", count(t.calls), ""],
    ["execution", duration(t.total_ms), t.mean_ms === null ? "" : `${duration(t.mean_ms)} per call`],
    ["standard deviation", t.stddev_ms === null ? "–" : duration(t.stddev_ms), "of single calls"],
    ["plan time", duration(t.plan_ms), `${duration(perCall(t.plan_ms))} per call`],
    ["rows", count(t.rows), `${count(Number(perCall(t.rows).toPrecision(3)))} per call`],
    ["buffer hits", bytes(t.blocks_hit * PAGE_BYTES), `${bytes(perCall(t.blocks_hit) * PAGE_BYTES)} per call`],
    ["blocks read", bytes(t.blocks_read * PAGE_BYTES), t.read_ms ? `${duration(t.read_ms)} waited for it` : ""],
    [
      "temp written",
      bytes(t.temp_written * PAGE_BYTES),
      t.temp_written ? `${bytes(perCall(t.temp_written) * PAGE_BYTES)} per call` : "",
    ],
    ["WAL", bytes(t.wal_bytes), ""],
    ["errors", statement.errors ? count(statement.errors) : "none", "from the server's log"],
  ];
  return (
    <section aria-label="Totals of the window" className="mb-4">
      <h2 className="mb-1 font-semibold">In this window, as the server counts</h2>
      <table className="font-condensed w-full">
        <tbody>
          {rows.map(([name, total, each]) => (
            <tr key={name} className="border-line border-b">
              <th className="text-muted py-0.5 text-left font-normal">{name}</th>
              <td className="text-right">{total}</td>
              <td className="text-muted pl-3 text-right text-sm">{each}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {statement.tables ? (
        <p className="mt-1 text-sm">
          <span className="text-muted">touches</span> {statement.tables}
        </p>
      ) : null}
      {statement.users.length ? (
        <p className="text-sm">
          <span className="text-muted">as</span> {statement.users.map((u) => `${u.user} in ${u.database}`).join(", ")}
        </p>
      ) : null}
    </section>
  );
};

const Who = ({
  column,
  onPick,
}: {
  readonly column: Schemas["ColumnOut"];
  readonly onPick: (pick: string) => void;
}) => {
  if (
    column.rows.length === 0 ||
    (column.dimension === "held_by" && column.rows.every((row) => row.value === "nobody"))
  )
    return null;
  return (
    <section className="mb-3">
      <h2 className="border-strong mb-0.5 border-b font-semibold">
        {isDimension(column.dimension) ? DIMENSIONS[column.dimension] : column.dimension}
      </h2>
      <ul className="font-condensed">
        {column.rows.map((row) => (
          <li key={row.value}>
            <button
              type="button"
              title={`${row.full}: narrow the load to this`}
              onClick={() => onPick(`${column.dimension}:${row.value}`)}
              className="hover:bg-raised flex w-full items-center gap-2 text-left"
            >
              <svg width="8" height="8" aria-hidden="true">
                <rect width="8" height="8" fill={mainFill(row.by_kind)} />
              </svg>
              <span className="grow truncate">{row.label}</span>
              <span>{sessions(row.sessions)}</span>
              <span className="text-muted w-16 text-right text-sm">{share(row.share, row.share_margin)}</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
};

function mainFill(byKind: Readonly<Record<string, number>>): string {
  const [kind] = Object.entries(byKind).sort((a, b) => b[1] - a[1])[0] ?? ["running"];
  return isKind(kind) ? kindFill(kind) : "var(--strong)";
}
