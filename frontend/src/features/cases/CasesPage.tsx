import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";

import { type Case, MOST_CASES, casesQuery, makeCase } from "../../api/cases";
import { upload } from "../../api/upload";
import { when } from "../../lib/time";
import { counted } from "../../lib/units";
import { Answer } from "../../ui/Answer";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { CasesSearch } from "./cases.route";

interface Props {
  readonly role: string;
  readonly search: CasesSearch;
  readonly onSearch: (change: Partial<CasesSearch>) => void;
}

const STATES = ["", "open", "closed"].map((value) => ({ value, label: value || "all" }));

/** The casebook: investigations over all servers, what they were about and what they found. */
export const CasesPage = ({ role, search, onSearch }: Props) => {
  const found = useQuery(casesQuery(search.cases ?? ""));
  return (
    <div className="pane px-6 pt-3 pb-6">
      <div className="flex items-baseline justify-between">
        <h1 className="text-lg font-semibold">Casebook</h1>
        <span className="text-sm">
          show{" "}
          <Choice
            label="cases that are"
            value={search.cases ?? ""}
            options={STATES}
            onChange={(cases) => onSearch({ cases })}
          />
        </span>
      </div>
      {role === "operator" || role === "admin" ? <Begin /> : null}
      <Answer of={found} what="the cases">
        {(rows) =>
          rows.length === 0 ? (
            <p className="text-muted mt-4 max-w-prose">
              {search.cases ? `No case is ${search.cases}.` : "No case was made yet."} A case collects what an
              investigation finds: press <kbd className="border-line border px-1 font-mono text-xs">k</kbd> on any view
              to keep it as evidence, or make a case of a lead or of an alert.
            </p>
          ) : (
            <DataTable
              id="cases"
              label="cases"
              columns={COLUMNS}
              rows={rows}
              most={MOST_CASES}
              rowKey={(one) => String(one.id)}
              sort={{ by: "changed", descending: true }}
              rowPx={62}
            />
          )
        }
      </Answer>
    </div>
  );
};

/** A new case, or one from elsewhere. */
const Begin = () => {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const open = (made: Case): void => {
    void queries.invalidateQueries({ queryKey: ["cases"] });
    void navigate({ to: "/cases/$case", params: { case: String(made.id) } });
  };
  const make = useMutation({ mutationFn: () => makeCase({ title }), onSuccess: open });
  const take = useMutation({
    mutationFn: (one: File) => upload<Case>("/api/v1/cases/import/file", one, () => undefined),
    onSuccess: open,
  });
  return (
    <>
      <form
        className="mt-2 flex items-baseline gap-3 text-sm"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <input
          value={title}
          maxLength={200}
          onChange={(event) => setTitle(event.target.value)}
          aria-label="title of a new case"
          placeholder="what is being looked into"
          className="border-line bg-raised w-80 border px-2 py-0.5"
        />
        <Button type="submit" disabled={!title.trim() || make.isPending}>
          begin a case
        </Button>
        <Button onClick={() => file.current?.click()} disabled={take.isPending}>
          import a case
        </Button>
        <input
          ref={file}
          type="file"
          accept=".html,.zip,.json"
          aria-label="file of a case"
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            const one = event.target.files?.[0];
            if (one) take.mutate(one);
            event.target.value = "";
          }}
        />
      </form>
      {make.error ? <Failure title="The case was not made" detail={make.error.message} /> : null}
      {take.error ? <Failure title="The file was not taken in" detail={take.error.message} /> : null}
    </>
  );
};

/** What a case is about, in a line. */
export const aboutLine = (one: Case): string =>
  one.links.map((link) => `${link.label} on ${link.server_name || "a server"}: ${link.title}`).join("; ");

const COLUMNS: Column<Case>[] = [
  {
    ...{ id: "title", heading: "case", wide: true, value: (one: Case) => one.title },
    show: (one) => (
      <>
        <Link
          to="/cases/$case"
          params={{ case: String(one.id) }}
          className={`text-accent hover:underline ${one.state === "open" ? "font-semibold" : ""}`}
        >
          {one.title}
        </Link>
        <div className="text-muted truncate text-sm">{one.conclusion || aboutLine(one)}</div>
      </>
    ),
  },
  { id: "state", heading: "state", value: (one) => one.state },
  {
    ...{ id: "evidence", heading: "evidence", align: "right", value: (one: Case) => one.evidence },
    show: (one) => (
      <>
        {counted(one.evidence, "piece")}
        {one.comments ? <div className="text-muted text-sm">{counted(one.comments, "comment")}</div> : null}
      </>
    ),
  },
  { id: "people", heading: "people", value: (one) => one.people.join(", ") },
  {
    ...{ id: "changed", heading: "changed", value: (one: Case) => one.changed },
    show: (one) => when(one.changed, false),
  },
];
