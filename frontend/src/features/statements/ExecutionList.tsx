import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { bytes, duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { CopyButton } from "../../ui/CopyButton";
import { DataTable } from "../../ui/table/DataTable";
import { filesAt } from "../../ui/table/table";
import type { Column } from "../../ui/table/columns";
import { runnable } from "./executions";

type Execution = Schemas["ExecutionOut"];

const AROUND_MS = 30_000;

interface Props {
  readonly server: number;
  readonly rows: readonly Execution[];
  readonly title: string;
  readonly showStatement: boolean;
  readonly file?: string; // where all of them are a file
  readonly onAsk: (execution: Execution, run: boolean) => void;
}

const keyOf = (one: Execution): string => `${one.ended} ${one.pid} ${one.place}`;

/** Executions one by one, longest first; one opened shows what it was run with. */
export const ExecutionList = ({ server, rows, title, showStatement, file, onAsk }: Props) => {
  const [open, setOpen] = useState<string | null>(null);
  if (rows.length === 0) return null;
  const kept = showStatement || rows.some((one) => one.parameters || one.statement);
  const detail = (one: Execution) =>
    open === keyOf(one) ? <Opened one={one} onAsk={(run) => onAsk(one, run)} /> : null;
  const toggle = (one: Execution) => setOpen(open === keyOf(one) ? null : keyOf(one));
  return (
    <section aria-label={`Executions, ${title}`} className="mt-2">
      <h2 className="font-semibold">Executions, {title}</h2>
      <DataTable
        id="executions"
        label={`Executions, ${title}`}
        columns={columnsOf({ server, open, showStatement, kept, toggle })}
        rows={rows}
        rowKey={keyOf}
        sort={{ by: "took", descending: true }}
        detail={detail}
        files={filesAt(file, "executions")}
      />
    </section>
  );
};

interface Columns {
  readonly server: number;
  readonly open: string | null;
  readonly showStatement: boolean;
  readonly kept: boolean;
  readonly toggle: (one: Execution) => void;
}

const phase = (ms: number | null): string => (ms === null ? "–" : duration(ms));
const phases = (one: Execution): string =>
  one.parse_ms === null && one.bind_ms === null
    ? ""
    : `${phase(one.parse_ms)} · ${phase(one.bind_ms)} · ${phase(one.execute_ms)}`;

const columnsOf = ({ server, open, showStatement, kept, toggle }: Columns): Column<Execution>[] => [
  {
    id: "began",
    heading: "began",
    value: (one) => one.started,
    show: (one) => (
      <button
        type="button"
        className="hover:text-accent min-h-6"
        aria-expanded={open === keyOf(one)}
        onClick={() => toggle(one)}
      >
        {open === keyOf(one) ? "▾" : "▸"} {stamp(one.started, true)}
      </button>
    ),
  },
  {
    id: "took",
    heading: "took",
    align: "right",
    value: (one) => one.took_ms,
    show: (one) => <b className="font-semibold">{duration(one.took_ms)}</b>,
  },
  {
    id: "phases",
    heading: "parse · bind · execute",
    title: "where the log has each of them",
    align: "right",
    value: phases,
  },
  {
    id: "words",
    heading: showStatement ? "statement" : kept ? "with" : "parameters were not kept",
    wide: true,
    literal: !showStatement,
    value: (one) => (showStatement ? one.label : one.parameters || one.statement),
    say: (one) => (showStatement ? one.label : one.parameters || one.statement),
    show: (one) => {
      const words = showStatement ? one.label : one.parameters || one.statement;
      if (!words) return kept ? <span className="text-muted">not kept</span> : null;
      return <span className="font-mono text-xs">{words}</span>;
    },
  },
  {
    id: "session",
    heading: "pid",
    title: "its session, second by second",
    align: "right",
    value: (one) => one.pid,
    show: (one) => (
      <Link
        to="/servers/$server/sessions/$pid"
        params={{ server: String(server), pid: String(one.pid) }}
        search={{ from: one.started - AROUND_MS, to: one.ended + AROUND_MS }}
        className="hover:text-accent underline decoration-dotted"
      >
        {one.pid}
      </Link>
    ),
  },
  { id: "program", heading: "program", value: (one) => one.program },
  { id: "client", heading: "client", value: (one) => one.client },
  {
    id: "temp",
    heading: "temporary files",
    align: "right",
    value: (one) => one.temp_bytes,
    show: (one) => (one.temp_bytes ? bytes(one.temp_bytes) : ""),
  },
  { id: "plan", heading: "plan", value: (one) => one.plan_gist, say: (one) => one.plan_gist },
  { id: "user", heading: "user", optional: true, value: (one) => one.user },
  { id: "database", heading: "database", optional: true, value: (one) => one.database },
];

interface OpenedProps {
  readonly one: Execution;
  readonly onAsk: (run: boolean) => void;
}

/** What one execution was run with, and what can be asked about it. */
const Opened = ({ one, onAsk }: OpenedProps) =>
  one.statement ? (
    <>
      <pre className="max-h-40 overflow-auto font-mono text-xs whitespace-pre-wrap">
        {runnable(one.statement, one.parameters)}
      </pre>
      <p className="mt-1 flex gap-2 text-sm">
        <CopyButton
          text={runnable(one.statement, one.parameters)}
          label="copy, ready to run"
          className="border-line hover:border-strong rounded-sm border px-2"
        >
          copy, ready to run
        </CopyButton>
        <Button onClick={() => onAsk(false)}>estimate its plan</Button>
        <Button onClick={() => onAsk(true)}>run it once and measure …</Button>
      </p>
    </>
  ) : (
    <p className="text-muted text-sm">
      Statement and parameters of single executions are kept only where the server&apos;s settings say so, or during a
      close watch, and shown to operators: they can be personal data.
    </p>
  );
