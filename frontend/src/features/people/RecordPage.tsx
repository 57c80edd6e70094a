import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { when } from "../../lib/time";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { KINDS, actWords, exportPath } from "./model";
import { MOST_ENTRIES, auditQuery, peopleQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

/** The record of who did what: nobody can change it, and it comes out as a file. */
export const RecordPage = () => {
  const [by, setBy] = useState("");
  const [act, setAct] = useState("");
  const record = useQuery(auditQuery(by, act));
  const known = useQuery(peopleQuery);
  const people = known.data ?? [];
  const names = [...people.map((one) => one.username), "command line", "nobody signed in"];
  return (
    <div className="px-6 py-3">
      <div className="flex items-baseline gap-4 pb-2">
        <h1 className="text-lg font-semibold">Record</h1>
        <Choice
          label="who"
          value={by}
          options={[{ value: "", label: "anybody" }, ...names.map((name) => ({ value: name, label: name }))]}
          onChange={setBy}
        />
        <Choice label="what" value={act} options={[...KINDS]} onChange={setAct} />
      </div>
      {known.error ? <AnswerState of={known} what="the people" /> : null}
      <AnswerState of={record} what="the record" />
      {record.data?.length === 0 ? <p className="text-muted">Nothing of this kind is in the record.</p> : null}
      {record.data?.length ? (
        <DataTable
          id="record"
          label="Record"
          columns={COLUMNS}
          rows={record.data}
          most={MOST_ENTRIES}
          rowKey={(one) => String(one.id)}
          sort={{ by: "when", descending: true }}
          files={[
            { label: "the whole record as CSV", href: exportPath(by, act, "csv") },
            { label: "the whole record as JSON Lines", href: exportPath(by, act, "jsonl") },
          ]}
          className={record.isPlaceholderData ? "opacity-60" : ""}
        />
      ) : null}
    </div>
  );
};

const COLUMNS: Column<Schemas["AuditOut"]>[] = [
  { id: "when", heading: "when", value: (one) => Date.parse(one.at), show: (one) => when(Date.parse(one.at)) },
  { id: "who", heading: "who", value: (one) => one.by },
  { id: "what", heading: "what", value: (one) => actWords(one.act) },
  { id: "server", heading: "server", value: (one) => one.server },
  { id: "subject", heading: "whom or what", value: (one) => one.subject, say: (one) => one.subject },
  { id: "detail", heading: "more", wide: true, value: (one) => one.detail, say: (one) => one.detail },
  { id: "from", heading: "from", value: (one) => one.address },
];
