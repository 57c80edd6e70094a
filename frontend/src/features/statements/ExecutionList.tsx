import { useState } from "react";

import type { Schemas } from "../../api/client";
import { stamp } from "../../lib/time";
import { bytes, duration } from "../../lib/units";
import { Button } from "../../ui/Button";
import { runnable } from "./executions";

interface Props {
  readonly rows: readonly Schemas["ExecutionOut"][];
  readonly title: string;
  readonly showStatement: boolean;
  readonly onAsk: (execution: Schemas["ExecutionOut"], run: boolean) => void;
}

const keyOf = (one: Schemas["ExecutionOut"]): string => `${one.ended} ${one.pid} ${one.place}`;

/** Executions one by one, longest first; one opened shows what it was run with. */
export const ExecutionList = ({ rows, title, showStatement, onAsk }: Props) => {
  const [open, setOpen] = useState<string | null>(null);
  if (rows.length === 0) return null;
  const kept = showStatement || rows.some((one) => one.parameters || one.statement);
  return (
    <table className="font-condensed mt-2 w-full">
      <caption className="text-left font-semibold">Executions, {title}</caption>
      <thead>
        <tr className="border-strong text-muted border-b text-left">
          <th className="font-normal">began</th>
          <th className="text-right font-normal">took</th>
          <th
            className="pl-3 text-right font-normal"
            title="to parse, bind and execute, where the log tells them apart"
          >
            parse · bind · execute
          </th>
          <th className="pl-4 font-normal">
            {showStatement ? "statement" : kept ? "with" : "parameters were not kept"}
          </th>
          <th className="pl-3 font-normal">program</th>
          <th className="pl-3 font-normal">client</th>
          <th className="pl-3 text-right font-normal">temp</th>
          <th className="pl-3 font-normal">plan</th>
        </tr>
      </thead>
      <tbody>
        {rows.slice(0, 25).map((one) => (
          <Row
            key={keyOf(one)}
            one={one}
            open={open === keyOf(one)}
            showStatement={showStatement}
            kept={kept}
            onOpen={() => setOpen(open === keyOf(one) ? null : keyOf(one))}
            onAsk={(run) => onAsk(one, run)}
          />
        ))}
      </tbody>
    </table>
  );
};

interface RowProps {
  readonly one: Schemas["ExecutionOut"];
  readonly open: boolean;
  readonly showStatement: boolean;
  readonly kept: boolean;
  readonly onOpen: () => void;
  readonly onAsk: (run: boolean) => void;
}

const phase = (ms: number | null): string => (ms === null ? "–" : duration(ms));

const Row = ({ one, open, showStatement, kept, onOpen, onAsk }: RowProps) => {
  const phases = one.parse_ms !== null || one.bind_ms !== null;
  const words = showStatement ? one.label : one.parameters || one.statement;
  return (
    <>
      <tr className="border-line hover:bg-raised border-b">
        <td className="whitespace-nowrap">
          <button type="button" className="hover:text-accent" aria-expanded={open} onClick={onOpen}>
            {open ? "▾" : "▸"} {stamp(one.started, true)}
          </button>
        </td>
        <td className="text-right font-semibold whitespace-nowrap">{duration(one.took_ms)}</td>
        <td className="text-muted pl-3 text-right text-sm whitespace-nowrap">
          {phases ? `${phase(one.parse_ms)} · ${phase(one.bind_ms)} · ${phase(one.execute_ms)}` : ""}
        </td>
        <td className="max-w-0 w-1/3 truncate pl-4 font-mono text-xs" title={words}>
          {words || (kept ? <span className="text-muted font-sans">not kept</span> : null)}
        </td>
        <td className="pl-3 whitespace-nowrap">{one.program}</td>
        <td className="text-muted pl-3 text-sm whitespace-nowrap">{one.client}</td>
        <td className="pl-3 text-right text-sm whitespace-nowrap">{one.temp_bytes ? bytes(one.temp_bytes) : ""}</td>
        <td className="max-w-40 truncate pl-3 text-sm" title={one.plan_gist}>
          {one.plan_gist}
        </td>
      </tr>
      {open ? (
        <tr>
          <td colSpan={8} className="bg-raised px-4 py-2">
            {one.statement ? (
              <>
                <pre className="max-h-40 overflow-auto font-mono text-xs whitespace-pre-wrap">
                  {runnable(one.statement, one.parameters)}
                </pre>
                <p className="mt-1 flex gap-2 text-sm">
                  <Button onClick={() => void navigator.clipboard.writeText(runnable(one.statement, one.parameters))}>
                    copy, ready to run
                  </Button>
                  <Button onClick={() => onAsk(false)}>estimate its plan</Button>
                  <Button onClick={() => onAsk(true)}>run it once and measure …</Button>
                </p>
              </>
            ) : (
              <p className="text-muted text-sm">
                Statement and parameters of single executions are kept only where the server&apos;s settings say so, or
                during a close watch, and shown to operators: they can be personal data.
              </p>
            )}
          </td>
        </tr>
      ) : null}
    </>
  );
};
