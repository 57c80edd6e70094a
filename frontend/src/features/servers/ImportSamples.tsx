import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { upload } from "../../api/upload";
import { count } from "../../lib/units";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Failure";
import { formOf } from "./model";

type Report = Schemas["ImportOut"];

/** Session samples of any engine from a file, with progress, and what could not be read line by line. */
export const ImportSamples = ({ canAct, suggested }: { readonly canAct: boolean; readonly suggested: string }) => {
  const queries = useQueryClient();
  const [name, setName] = useState(suggested);
  const [file, setFile] = useState<File | null>(null);
  const [sent, setSent] = useState<number | null>(null);
  const [failure, setFailure] = useState("");
  const [report, setReport] = useState<Report | null>(null);
  const form = file ? formOf(file.name) : null;
  const start = async (): Promise<void> => {
    if (!file || !form) return;
    setFailure("");
    setReport(null);
    setSent(0);
    try {
      const query = new URLSearchParams({ server: name, format: form });
      setReport(await upload<Report>(`/api/v1/import/samples?${query.toString()}`, file, setSent));
      void queries.invalidateQueries({ queryKey: ["servers"] });
    } catch (error) {
      setFailure(error instanceof Error ? error.message : "the upload broke off");
    } finally {
      setSent(null);
    }
  };
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Samples from a file</h2>
      <p className="text-muted py-1">
        Session samples of any engine as CSV or JSON Lines; only time, session and state are needed
        (docs/session-samples.md). They belong to a server of their own.
      </p>
      <fieldset disabled={!canAct || sent !== null} className="flex flex-wrap items-center gap-3">
        <label>
          into server{" "}
          <input
            value={name}
            onChange={(event) => setName(event.target.value)}
            className="border-line bg-raised w-40 border px-1"
          />
        </label>
        <input
          type="file"
          aria-label="file with samples"
          accept=".csv,.jsonl,.ndjson,.json"
          onChange={(event) => setFile(event.target.files?.[0] ?? null)}
          className="max-w-56 text-sm"
        />
        <Button look="action" disabled={!form || name.trim() === ""} onClick={() => void start()}>
          import
        </Button>
      </fieldset>
      {file && !form ? <p className="text-danger">{file.name} ends neither in .csv nor in .jsonl</p> : null}
      {sent === null ? null : (
        <p aria-live="polite">
          <progress value={sent} max={1} className="mr-2 align-middle" aria-label="sent" />
          {sent < 1 ? `${(sent * 100).toFixed(0)}% sent` : "sent; reading and storing …"}
        </p>
      )}
      {failure ? <Failure title="Nothing was imported" detail={failure} /> : null}
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
