import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { count } from "../../lib/units";
import { FileImport } from "./FileImport";
import { formOf } from "./model";

type Report = Schemas["ImportOut"];

/** Session samples of any engine from a file, with progress, and what could not be read line by line. */
export const ImportSamples = ({ canAct, suggested }: { readonly canAct: boolean; readonly suggested: string }) => {
  const queries = useQueryClient();
  const [name, setName] = useState(suggested);
  const [report, setReport] = useState<Report | null>(null);
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Samples from a file</h2>
      <p className="text-muted py-1">
        Session samples of any engine as CSV or JSON Lines; only time, session and state are needed
        (docs/session-samples.md). They belong to a server of their own.
      </p>
      <FileImport<Report>
        what="samples"
        accept=".csv,.jsonl,.ndjson,.json"
        canAct={canAct}
        ready={name.trim() !== ""}
        refusal={(file) => (formOf(file.name) ? "" : `${file.name} ends neither in .csv nor in .jsonl`)}
        url={(file) => {
          const query = new URLSearchParams({ server: name, format: formOf(file.name) ?? "" });
          return `/api/v1/import/samples?${query.toString()}`;
        }}
        onDone={(done) => {
          setReport(done);
          void queries.invalidateQueries({ queryKey: ["servers"] });
        }}
      >
        <label>
          into server{" "}
          <input
            value={name}
            onChange={(event) => setName(event.target.value)}
            className="border-line bg-raised w-40 border px-1"
          />
        </label>
      </FileImport>
      {report ? <ImportReport report={report} /> : null}
    </section>
  );
};

const ImportReport = ({ report }: { readonly report: Report }) => (
  <div className="mt-2" role="status">
    <p>
      <b className="font-semibold">{count(report.ticks)} moments stored</b> of {count(report.rows)} rows
      {report.ticks_known ? `; ${count(report.ticks_known)} were known before and count once` : ""}.{" "}
      {report.first !== null && report.last !== null ? (
        <Link
          to="/servers/$server/load"
          params={{ server: String(report.server) }}
          search={{ from: report.first, to: report.last + 1000 }}
          className="text-accent underline"
        >
          look at them
        </Link>
      ) : null}
    </p>
    {report.refused ? (
      <>
        <p className="text-danger font-semibold">{count(report.refused)} rows could not be read:</p>
        <table className="font-condensed text-sm">
          <tbody>
            {report.faults.slice(0, 50).map((fault, i) => (
              <tr key={i} className="border-line border-b align-top">
                <td className="text-muted pr-3 text-right whitespace-nowrap">
                  {fault.line ? `line ${fault.line}` : ""}
                </td>
                <td>{fault.reason}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </>
    ) : null}
  </div>
);
