import { useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { count } from "../../lib/units";
import { FileImport } from "./FileImport";

type Report = Schemas["TraceImportOut"];

/** OpenTelemetry traces from a file, into the requests of a server. */
export const ImportTraces = ({ server, canAct }: { readonly server: number; readonly canAct: boolean }) => {
  const queries = useQueryClient();
  const [report, setReport] = useState<Report | null>(null);
  return (
    <section>
      <h2 className="border-strong border-b font-semibold">Traces from a file</h2>
      <p className="text-muted py-1">OTLP as protobuf, JSON or JSON Lines, also gzipped, as exporters write it.</p>
      <FileImport<Report>
        what="traces"
        canAct={canAct}
        url={() => `/api/v1/servers/${server}/import/traces`}
        onDone={(done) => {
          setReport(done);
          void queries.invalidateQueries();
        }}
      />
      {report ? (
        <p className="mt-2" role="status">
          <b className="font-semibold">{count(report.requests)} requests</b> of {count(report.traces)} traces and{" "}
          {count(report.spans)} spans
          {report.duplicates ? `; ${count(report.duplicates)} spans were known before and count once` : ""}
          {report.rejected ? `; ${count(report.rejected)} rejected, the first because ${report.why}` : ""}.{" "}
          {report.first !== null && report.last !== null ? (
            <Link
              to="/servers/$server/endpoints"
              params={{ server: String(server) }}
              search={{ from: report.first, to: report.last + 1000 }}
              className="text-accent underline"
            >
              look at them
            </Link>
          ) : null}
        </p>
      ) : null}
    </section>
  );
};
