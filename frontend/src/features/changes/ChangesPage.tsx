import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";

import { type Case, casesAboutQuery } from "../../api/cases";
import { ask, client } from "../../api/client";
import { when } from "../../lib/time";
import { around, windowOf } from "../../lib/view";
import { CHANGE_KINDS } from "../../lib/words/change_kinds";
import { NoteChange } from "../../shell/NoteChange";
import { present } from "../../lib/time";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { SearchField } from "../../ui/SearchField";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { ChangesSearch } from "./changes.route";
import { cameAbout, changesWords, teller, verdictClass } from "./model";
import { Pipelines } from "./Pipelines";
import { type Change, changesQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly role: string;
  readonly search: ChangesSearch;
  readonly onSearch: (change: Partial<ChangesSearch>) => void;
}

/** What changed on a server in the window: found, noted by hand, told by pipelines; each with whether it helped. */
export const ChangesPage = ({ server, role, search, onSearch }: Props) => {
  const kinds = search.changed ?? [];
  const found = useQuery(changesQuery(server, windowOf(search), kinds, search.naming ?? ""));
  const cases = useQuery(casesAboutQuery(server, "change", ""));
  const [noting, setNoting] = useState(false);
  const filtered = kinds.length > 0 || Boolean(search.naming);
  const canNote = role === "operator" || role === "admin";
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex items-baseline gap-4 text-sm">
        <SearchField
          className="w-64"
          label="only changes that name"
          placeholder="table, index, setting, version"
          value={search.naming ?? ""}
          onChange={(naming) => onSearch({ naming })}
        />
        <Choice
          label="kinds of changes"
          value={kinds[0] ?? ""}
          options={[{ value: "", label: "all kinds" }, ...KINDS]}
          onChange={(kind) => onSearch({ changed: kind === "" ? [] : [kind] })}
        />
        {canNote ? (
          <Button className="ml-auto" onClick={() => setNoting(true)}>
            note a change <kbd className="font-mono text-xs">h</kbd>
          </Button>
        ) : null}
      </div>
      <Answer of={found} what="what changed">
        {(data) =>
          data.changes.length === 0 ? (
            <Nothing looked={data.looked} filtered={filtered} />
          ) : (
            <>
              <h1 className="mt-2 text-base font-semibold">{changesWords(data.changes.length, filtered)}</h1>
              <DataTable
                id="changes"
                label="changes in this window"
                columns={columns(server, search, cases.data ?? [])}
                rows={data.changes}
                rowKey={(one) => String(one.id)}
                sort={{ by: "at", descending: true }}
              />
            </>
          )
        }
      </Answer>
      {noting ? <NoteChange server={server} spec={windowOf(search)} onClose={() => setNoting(false)} /> : null}
      <Pipelines server={server} admin={role === "admin"} />
    </div>
  );
};

type Kind = keyof typeof CHANGE_KINDS;

const KINDS = (Object.keys(CHANGE_KINDS) as Kind[]).map((value) => ({ value, label: CHANGE_KINDS[value] }));

/** "None" is said only of what was looked for. */
const Nothing = ({ looked, filtered }: { readonly looked: number | null; readonly filtered: boolean }) => (
  <>
    <h1 className="mt-2 text-base font-semibold">
      {filtered ? "No such change is known in this window." : "No change is known in this window."}
    </h1>
    <p className="text-muted">
      {looked === null
        ? "Indexes, tables and settings of this server were not compared yet; what is noted by hand, and who comes and goes, would be here."
        : `Indexes, tables and settings were compared up to ${when(looked)}.`}
    </p>
  </>
);

/** Cases that name it. */
const casesOf = (change: Change, cases: readonly Case[]): readonly Case[] =>
  cases.filter((one) => one.links.some((link) => link.about === "change" && link.key === String(change.id)));

const columns = (server: number, search: ChangesSearch, cases: readonly Case[]): Column<Change>[] => [
  {
    ...{ id: "at", heading: "when", value: (one: Change) => one.at },
    say: (one) => cameAbout(one) || undefined,
    show: (one) => when(one.at),
  },
  { id: "kind", heading: "what", value: (one) => one.label },
  {
    ...{ id: "line", heading: "change", wide: true, value: (one: Change) => one.line },
    say: (one) => one.line,
    show: (one) => <What server={server} search={search} of={one} />,
  },
  {
    ...{ id: "verdict", heading: "did it help?", value: (one: Change) => one.verdict?.label ?? "" },
    say: (one) => one.verdict?.sentence,
    show: (one) => <Verdict server={server} of={one} />,
  },
  {
    ...{ id: "cases", heading: "cases", value: (one: Change) => casesOf(one, cases).length },
    show: (one) =>
      casesOf(one, cases).map((its) => (
        <Link
          key={its.id}
          to="/cases/$case"
          params={{ case: String(its.id) }}
          className="text-accent block max-w-40 truncate underline"
        >
          {its.title}
        </Link>
      )),
  },
  { id: "by", heading: "told by", value: teller, show: (one) => teller(one) },
  {
    ...{ id: "act", heading: "", fixed: true, value: () => null },
    show: (one) => <Acts server={server} search={search} of={one} />,
  },
];

const What = ({
  server,
  search,
  of,
}: {
  readonly server: number;
  readonly search: ChangesSearch;
  readonly of: Change;
}) => {
  const name = of.note || of.object || of.label;
  const text =
    of.query_id === null ? (
      <b className="font-semibold">{name}</b>
    ) : (
      <Link
        to="/servers/$server/statements/$query"
        params={{ server: String(server), query: of.query_id }}
        search={around(windowOf(search), of.at, of.at, present())}
        className="text-accent font-mono text-xs hover:underline"
      >
        {of.object}
      </Link>
    );
  return (
    <>
      {text}
      {of.version && !of.note.includes(of.version) ? ` ${of.version}` : ""}
      {of.table && of.table !== of.object ? ` on ${of.table}` : ""}
      {of.before && of.after
        ? `: ${of.before} → ${of.after}`
        : of.after || of.before
          ? `: ${of.after || of.before}`
          : ""}{" "}
      {of.link ? (
        <a href={of.link} rel="noreferrer" className="text-accent underline">
          more
        </a>
      ) : null}
    </>
  );
};

const Verdict = ({ server, of }: { readonly server: number; readonly of: Change }) =>
  of.verdict === null ? (
    <span className="text-muted">not followed</span>
  ) : (
    <Link
      to="/servers/$server/compare"
      params={{ server: String(server) }}
      search={{ followed: of.verdict.id } as never}
      className={`${verdictClass(of.verdict.verdict)} underline`}
    >
      {of.verdict.label}
    </Link>
  );

const Acts = ({
  server,
  search,
  of,
}: {
  readonly server: number;
  readonly search: ChangesSearch;
  readonly of: Change;
}) => {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () =>
      ask(
        client.DELETE("/api/v1/servers/{server_id}/changes/{change_id}", {
          params: { path: { server_id: server, change_id: of.id } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["changes", server] }),
  });
  return (
    <span className="flex items-baseline gap-3 text-sm">
      <Link
        to="/servers/$server/leads"
        params={{ server: String(server) }}
        search={around(windowOf(search), of.at, of.at, present())}
        className="text-accent hover:underline"
        aria-label={`the window around ${of.line}`}
      >
        window
      </Link>
      {of.mine ? (
        <button
          type="button"
          className="hover:text-danger min-h-6"
          aria-label={`remove ${of.line}`}
          onClick={() => remove.mutate()}
        >
          remove
        </button>
      ) : null}
      {remove.error ? <Failure title="It stays" detail={remove.error.message} /> : null}
    </span>
  );
};
