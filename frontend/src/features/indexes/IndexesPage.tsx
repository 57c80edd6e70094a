import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { INDEX_FINDINGS } from "../../lib/words/index_findings";
import { ExportMenu } from "../../charts/ExportMenu";
import { keepingWords } from "../../lib/indexWords";
import { when } from "../../lib/time";
import { bytes, count, duration } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Ddl } from "../../ui/Ddl";
import type { IndexesSearch } from "./indexes.route";
import { indexesQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";

interface Props {
  readonly server: number;
  readonly search: IndexesSearch;
  readonly onSearch: (change: Partial<IndexesSearch>) => void;
}

const KINDS: Readonly<Record<string, string>> = INDEX_FINDINGS;

/** Indexes of a server: what would help, what could go, and whose statistics are behind. */
export const IndexesPage = ({ server, search, onSearch }: Props) => {
  const indexes = useQuery(indexesQuery(server, windowOf(search), search.database ?? "", search.pick ?? []));
  const found = indexes.data;
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={indexes} what="indexes and their statistics" />
      </div>
    );
  const since = found.counted_since;
  return (
    <div className="pane px-6 pt-2 pb-6">
      <AnswerState of={indexes} what="indexes and their statistics" />
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{sentence(found)}</h1>
        <span className="flex gap-3 text-sm">
          <ExportMenu
            name="indexes"
            table={() => ({
              columns: ["kind", "table", "index", "bytes", "sentence", "next step"],
              rows: found.findings.map((f) => [f.kind, f.table, f.index, f.bytes, f.sentence, f.next_step]),
            })}
          />
          <Button onClick={() => void indexes.refetch()} disabled={indexes.isFetching}>
            {indexes.isFetching ? "asking …" : "ask again"}
          </Button>
        </span>
      </div>
      <p className="text-muted pb-2 text-sm">
        Database{" "}
        {found.databases.length > 1 ? (
          <Choice
            label="database"
            value={found.database}
            options={found.databases.map((name) => ({ value: name, label: name }))}
            onChange={(name) => onSearch({ database: name })}
          />
        ) : (
          found.database
        )}
        : {found.indexes} indexes of {found.tables} tables, {bytes(found.index_bytes)}. Its counters of use run{" "}
        {since === null ? "since the server was made" : `since ${when(since)}`}; a replica counts for itself.
      </p>
      <h2 className="border-strong border-b font-semibold">
        Suggested indexes{search.pick?.length ? ", for the statements inside the trail" : ""}
      </h2>
      {found.proposals.length ? (
        found.proposals.map((one) => <Proposal key={one.ddl} one={one} server={server} />)
      ) : (
        <p className="text-muted py-1">
          {found.plans_read
            ? `${found.plans_read === 1 ? "The one plan known" : `None of the ${count(found.plans_read)} plans`} of this window's statements would${found.plans_read === 1 ? " not" : ""} gain from another index.`
            : "No plan of this window's statements is known yet: they come with auto_explain, or are asked for on a statement's page."}
        </p>
      )}
      {found.refused.map((one) => (
        <p key={one.sentence} className="text-muted py-0.5 text-sm">
          Not proposed: {one.sentence}
        </p>
      ))}
      <h2 className="border-strong mt-4 border-b font-semibold">
        Unused, duplicate, or with stale statistics{search.pick?.length ? ", in the whole database" : ""}
      </h2>
      {found.findings.length ? (
        <Findings found={found.findings} />
      ) : (
        <p className="text-muted py-1">None: every index is used, none is a duplicate, statistics are fresh.</p>
      )}
    </div>
  );
};

type Finding = Schemas["IndexesOut"]["findings"][number];

const FINDINGS: Column<Finding>[] = [
  {
    ...{ id: "kind", heading: "what", value: (one: Finding) => KINDS[one.kind] ?? one.kind },
    show: (one) => <b className="font-semibold">{KINDS[one.kind] ?? one.kind}</b>,
  },
  { id: "table", heading: "table", value: (one) => one.table },
  { id: "index", heading: "index", optional: true, value: (one) => one.index },
  {
    ...{ id: "why", heading: "why", wide: true, value: (one: Finding) => one.sentence },
    show: (one) => <span className="whitespace-normal">{one.sentence}</span>,
  },
  {
    ...{ id: "size", heading: "size", align: "right" as const, value: (one: Finding) => one.bytes || null },
    show: (one) => (one.bytes ? bytes(one.bytes) : ""),
  },
  {
    ...{ id: "next", heading: "next step", value: (one: Finding) => one.next_step },
    show: (one) => (
      <div className="w-96 whitespace-normal">
        <Ddl text={one.next_step} />
      </div>
    ),
  },
];

const Findings = ({ found }: { readonly found: Schemas["IndexesOut"]["findings"] }) => (
  <DataTable
    id="index-findings"
    label="indexes and statistics"
    columns={FINDINGS}
    rows={found}
    rowKey={(one) => `${one.kind} ${one.table} ${one.index}`}
    sort={{ by: "size", descending: true }}
  />
);

function sentence(found: Schemas["IndexesOut"]): string {
  const freed = found.findings
    .filter((one) => one.kind === "unused" || one.kind === "duplicate" || one.kind === "overlapping")
    .reduce((sum, one) => sum + one.bytes, 0);
  const first = found.proposals[0];
  const help = first
    ? `An index on ${first.table} (${first.columns.join(", ")}) would serve ${duration(first.stake_ms)} of this window's work`
    : "No index is missing, as far as plans are known";
  return freed ? `${help}; ${bytes(freed)} of indexes are unused or duplicates.` : `${help}.`;
}

interface ProposalProps {
  readonly one: Schemas["WorkloadProposalOut"];
  readonly server: number;
}

const Proposal = ({ one, server }: ProposalProps) => (
  <article className="border-line grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6 border-b py-1.5">
    <div>
      <Ddl text={one.ddl} />
      <p className="py-0.5">{one.sentence}</p>
      <p className="text-muted text-sm">
        {keepingWords(one)}
        {one.overlaps.map((words) => ` ${words}.`)}
      </p>
    </div>
    <div className="text-sm">
      <ul>
        {one.why.map((why) => (
          <li key={why.column}>
            <b className="font-semibold">{why.column}</b> {why.words}
          </li>
        ))}
      </ul>
      <ul className="font-condensed mt-1">
        {one.statements.map((served) => (
          <li key={served.query_id} className="flex gap-2">
            <Link
              to="/servers/$server/statements/$query"
              params={{ server: String(server), query: served.query_id }}
              className="text-accent min-w-0 truncate font-mono text-xs hover:underline"
              title={served.label}
            >
              {served.label}
            </Link>
            <span className="ml-auto shrink-0">{duration(served.stake_ms)} at stake</span>
          </li>
        ))}
      </ul>
    </div>
  </article>
);
