import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { when } from "../../lib/time";
import { Choice } from "../../ui/Choice";
import { KINDS, actWords, exportPath } from "./model";
import { auditQuery, peopleQuery } from "./queries";
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
        <span className="ml-auto flex gap-3 text-sm">
          <a className="text-accent underline" href={exportPath(by, act, "csv")}>
            export as CSV
          </a>
          <a className="text-accent underline" href={exportPath(by, act, "jsonl")}>
            as JSON Lines
          </a>
        </span>
      </div>
      {known.error ? <AnswerState of={known} what="the people" /> : null}
      <AnswerState of={record} what="the record" />
      {record.data?.length === 0 ? <p className="text-muted">Nothing of this kind is in the record.</p> : null}
      <table className={`w-full text-left ${record.isPlaceholderData ? "opacity-60" : ""}`}>
        <thead className="text-muted font-condensed border-strong border-b text-sm">
          <tr>
            {["when", "who", "what", "server", "whom or what", "more", "from"].map((head) => (
              <th key={head} className="py-1 pr-4 font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="font-condensed">
          {(record.data ?? []).map((one) => (
            <tr key={one.id} className="border-line border-b align-top">
              <td className="py-0.5 pr-4 whitespace-nowrap">{when(Date.parse(one.at))}</td>
              <td className="pr-4 whitespace-nowrap">{one.by}</td>
              <td className="pr-4 whitespace-nowrap">{actWords(one.act)}</td>
              <td className="pr-4 whitespace-nowrap">{one.server}</td>
              <td className="pr-4">{one.subject}</td>
              <td className="text-muted max-w-[420px] pr-4 text-sm break-words">{one.detail}</td>
              <td className="whitespace-nowrap">{one.address}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
};
