import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";

import type { Schemas } from "../../api/client";
import { Lanes } from "../../charts/Lanes";
import { stamp, present } from "../../lib/time";
import { duration } from "../../lib/units";
import { DEADLOCK_CAUSES } from "../../lib/words/deadlock_causes";
import { LOG_EVENTS } from "../../lib/words/log_events";
import { bounds, windowOf } from "../../lib/view";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { EndDialog } from "./EndDialog";
import { keyOf } from "../../charts/sessions";
import { tapeLanes, tapeSentence } from "./tape";
import { nowQuery, tapeQuery } from "./queries";
import { WaitTable, useRecord } from "./Recordings";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { RequestLink } from "../../shell/SessionLinks";
import type { TapeSearch } from "./sessions.route";

interface Props {
  readonly server: number;
  readonly pid: number;
  readonly search: TapeSearch;
  readonly role: string;
}

/** One session, second by second. */
export const TapePage = ({ server, pid, search, role }: Props) => {
  const started = search.started === undefined ? undefined : Number(search.started);
  const tape = useQuery(tapeQuery(server, pid, started, windowOf(search)));
  const found = tape.data;
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={tape} what="the tape" />
      </div>
    );
  return (
    <div className="pane-column">
      <div className="px-6 empty:hidden">
        <AnswerState of={tape} what="the tape" />
      </div>
      <div className="min-h-0 grow">
        <Tape server={server} found={found} search={search} role={role} />
      </div>
    </div>
  );
};

interface TapeProps extends Omit<Props, "pid"> {
  readonly found: Schemas["TapeOut"];
}

const Tape = ({ server, found, search, role }: TapeProps) => {
  const one = found.session;
  const [ending, setEnding] = useState<Schemas["LiveSessionOut"] | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const [recording, setRecording] = useState<number | null>(null);
  const record = useRecord(server, setRecording);
  const live = useQuery(nowQuery(server)).data?.sessions.find((other) => keyOf(other) === keyOf(one));
  const lanes = useMemo(() => tapeLanes(found), [found]);
  const sentence = useMemo(() => tapeSentence(found), [found]);
  const now = present();
  const mayAct = role !== "viewer" && one.backend === "client backend";
  const { from, to } = bounds(windowOf(search), found.end);
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{sentence}</h1>
        <span className="flex shrink-0 gap-2 text-sm">
          <Link to="/servers/$server/blocking" params={{ server: String(server) }} className="text-accent underline">
            blocking in this window
          </Link>
          {mayAct ? (
            <Button onClick={() => record.mutate({ minutes: 5, pid: one.pid, started_s: one.started_s })}>
              record 5 min
            </Button>
          ) : null}
          {mayAct && live ? <Button onClick={() => setEnding(live)}>end …</Button> : null}
        </span>
      </div>
      <p className="text-muted text-sm">
        pid {one.pid}, {one.user} in {one.database}
        {one.client ? ` from ${one.client}` : ""}, {one.backend}, connected since {stamp(1000 * one.started_s)}
        {found.alike.length ? `; ${found.alike.length} other sessions had this pid in the window` : ""}
      </p>
      {record.error ? <Failure title="The recording did not begin" detail={record.error.message} /> : null}
      {recording === null ? null : (
        <p className="text-sm">
          Recording for five minutes; it stands under{" "}
          <Link to="/servers/$server/sessions" params={{ server: String(server) }} className="text-accent underline">
            Sessions
          </Link>
          .
        </p>
      )}
      <div className="mt-3">
        <Lanes
          title={`Tape of ${one.program} ${one.pid}`}
          reading={sentence}
          lanes={lanes}
          from={from}
          to={to}
          tickMs={found.tick_ms}
          now={now}
          at={at}
          onMoment={setAt}
          gaps={found.gaps}
        />
      </div>
      <Logged server={server} found={found} onMoment={setAt} />
      <Served found={found} server={server} onMoment={setAt} />
      <div className="mt-4 grid grid-cols-2 gap-8">
        <section>
          <h2 className="border-strong border-b font-semibold">What it did, summed</h2>
          <WaitTable waits={found.waits} tickMs={found.wait_tick_ms} />
        </section>
        <section>
          <h2 className="border-strong border-b font-semibold">Statements it was seen running</h2>
          <Ran found={found} server={server} onMoment={setAt} />
        </section>
      </div>
      {ending ? <EndDialog server={server} session={ending} now={live} onClose={() => setEnding(null)} /> : null}
    </div>
  );
};

type Words = Readonly<Record<string, string>>;

/** Its deadlocks, and what else the server's log has about it. */
const Logged = ({ found, server, onMoment }: RanProps) => (
  <>
    {found.deadlocks.map((one) => (
      <p key={one.at} className="mt-2 text-sm">
        <Link
          to="/servers/$server/deadlocks/$pattern"
          params={{ server: String(server), pattern: one.pattern }}
          className="text-accent underline"
        >
          deadlock at {stamp(one.at)}
        </Link>
        , {one.victim ? "which ended its transaction" : "which ended another's transaction"}:{" "}
        {(DEADLOCK_CAUSES as Words)[one.cause] ?? one.cause}
      </p>
    ))}
    {found.errors.length ? (
      <section className="mt-3">
        <h2 className="border-strong border-b font-semibold">What the log says about it</h2>
        <ul>
          {found.errors.map((error) => (
            <li key={`${error.at}-${error.message}`} className="border-line border-b py-0.5 text-sm">
              <button type="button" className="text-muted hover:text-accent" onClick={() => onMoment(error.at)}>
                {stamp(error.at)}
              </button>{" "}
              <b>{(LOG_EVENTS as Words)[error.kind] ?? error.kind}</b> {error.message}
            </li>
          ))}
        </ul>
      </section>
    ) : null}
  </>
);

type Work = Schemas["WorkedForOut"];

/** The requests it was seen working for, each as the way there. */
const Served = ({ found, server, onMoment }: RanProps) =>
  found.served.length ? (
    <section className="mt-3">
      <h2 className="border-strong border-b font-semibold">Requests it worked for</h2>
      <DataTable
        id="served"
        label="requests it worked for"
        columns={servedColumns(server, onMoment)}
        rows={found.served}
        rowKey={(one) => one.trace}
        sort={{ by: "from", descending: true }}
      />
    </section>
  ) : null;

const servedColumns = (server: number, onMoment: RanProps["onMoment"]): Column<Work>[] => [
  {
    ...{ id: "from", heading: "seen from", value: (one: Work) => one.first },
    show: (one) => (
      <button type="button" className="hover:text-accent" onClick={() => onMoment(one.first)}>
        {stamp(one.first)}
      </button>
    ),
  },
  {
    ...{ id: "for", heading: "seen for", align: "right" as const, value: (one: Work) => one.last - one.first },
    show: (one) => duration(one.last - one.first),
  },
  { id: "request", heading: "request", wide: true, ...requestCell(server) },
  { id: "statements", heading: "statements seen", align: "right", value: (one) => one.statements },
  { id: "blocked", heading: "blocked", value: (one) => (one.blocked ? "waited for another session" : "") },
];

const requestCell = (server: number) => ({
  value: (one: Work) => one.endpoint || "its request",
  show: (one: Work) => <RequestLink server={server} one={one} />,
});

interface RanProps {
  readonly found: Schemas["TapeOut"];
  readonly server: number;
  readonly onMoment: (at: number) => void;
}

type Run = Schemas["TapeOut"]["ran"][number];

const Ran = ({ found, server, onMoment }: RanProps) => (
  <DataTable
    id="ran"
    label="statements it was seen running"
    columns={ranColumns(server, onMoment)}
    rows={found.ran}
    rowKey={(run) => `${run.began}-${run.seen}`}
    sort={{ by: "began", descending: true }}
  />
);

const ranColumns = (server: number, onMoment: RanProps["onMoment"]): Column<Run>[] => [
  {
    ...{ id: "began", heading: "began", value: (run: Run) => run.began },
    show: (run) => (
      <button type="button" className="hover:text-accent" onClick={() => onMoment(run.began)}>
        {stamp(run.began)}
      </button>
    ),
  },
  {
    ...{
      id: "took",
      heading: "seen for",
      align: "right" as const,
      value: (run: Run) => Math.max(0, run.seen - run.began),
    },
    show: (run) => duration(Math.max(0, run.seen - run.began)),
  },
  {
    ...{
      id: "statement",
      heading: "statement",
      wide: true,
      value: (run: Run) => run.statement,
      say: (run: Run) => run.statement,
    },
    show: (run) =>
      run.query_id === null ? (
        "no statement"
      ) : (
        <Link
          to="/servers/$server/statements/$query"
          params={{ server: String(server), query: run.query_id }}
          className="hover:text-accent font-mono text-xs"
        >
          {run.statement || `statement ${run.query_id}`}
        </Link>
      ),
  },
];
