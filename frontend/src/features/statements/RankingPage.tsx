import { useQuery } from "@tanstack/react-query";
import { filesAt } from "../../ui/table/table";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { type WindowSpec, follows, windowOf } from "../../lib/view";
import { Conditions } from "./Conditions";
import { isMeasure, type Measure, MEASURES } from "./model";
import { rankingQuery, usualTimesQuery } from "./queries";
import { Coverage, Uncounted } from "./RankingNotes";
import { RankingTable } from "./RankingTable";
import { AnswerState } from "../../ui/Answer";
import { SearchField } from "../../ui/SearchField";
import { readSort, writeSort } from "../../ui/table/table";
import type { RankingSearch } from "./statements.route";

const NONE: string[] = [];
interface Props {
  readonly server: number;
  readonly search: RankingSearch;
  readonly onSearch: (change: Partial<RankingSearch>) => void;
}

/** Statements of the window, ranked by any measure. A click on a heading ranks by it. */
export const RankingPage = ({ server, search, onSearch }: Props) => {
  const order = readSort(search.sort, "total_ms");
  const sort: Measure = isMeasure(order.by) ? order.by : "total_ms";
  const spec = windowOf(search);
  const where = search.where ?? NONE;
  const given = {
    sort,
    ascending: !order.descending,
    containing: search.containing ?? "",
    where,
    tools: search.tools === "shown",
    starred: search.starred === "only",
    pick: search.pick ?? NONE,
  };
  const ranking = useQuery(rankingQuery(server, spec, given));
  const found = ranking.data;
  const usual = useQuery(usualTimesQuery(server, spec)).data;
  const span = found ? found.end - found.start : 0;
  const whole = exportOf(server, spec, given);
  return (
    <div className="pane-column px-6 pt-2">
      <div className="mb-2 flex items-center justify-between gap-4">
        <h1 className="text-base font-semibold">Statements by {MEASURES[sort].title}</h1>
        <div className="flex items-center gap-3 text-sm">
          <SearchField
            label="only statements that contain"
            placeholder="contains …"
            value={search.containing ?? ""}
            onChange={(containing) => onSearch({ containing })}
            className="w-52"
          />
        </div>
      </div>
      <Conditions search={search} onSearch={onSearch} />
      <AnswerState of={ranking} what="statements" />
      {found ? <Coverage found={found} span={span} /> : null}
      {found ? <Uncounted found={found} server={server} /> : null}
      <LeftOut found={found} tools={given.tools} starred={given.starred} onSearch={onSearch} />
      <div className={`flex min-h-0 grow flex-col ${ranking.isPlaceholderData ? "opacity-50" : ""}`}>
        {found && found.rows.length > 0 ? (
          <RankingTable
            found={found}
            usual={usual}
            sort={sort}
            ascending={given.ascending}
            server={server}
            search={search}
            onSort={(name, up) => onSearch({ sort: writeSort({ by: name, descending: !up }) })}
            files={filesAt(whole, "statements")}
          />
        ) : null}
        {found && found.rows.length === 0 ? <None found={found} server={server} /> : null}
        {found && found.more > 0 ? (
          <p className="text-muted py-1 text-sm">{found.more} more with less; the export holds all.</p>
        ) : null}
      </div>
    </div>
  );
};

interface Given {
  readonly sort: string;
  readonly ascending: boolean;
  readonly containing: string;
  readonly where: readonly string[];
  readonly tools: boolean;
  readonly starred: boolean;
  readonly pick: readonly string[];
}

/** Address of the whole ranking as a file, without the form. */
function exportOf(server: number, spec: WindowSpec, given: Given): string {
  const query = new URLSearchParams({
    sort: given.sort,
    ascending: String(given.ascending),
    containing: given.containing,
    tools: String(given.tools),
    starred: String(given.starred),
    ...(follows(spec) ? { last: String(spec.last) } : { from: String(spec.from), to: String(spec.to) }),
  });
  for (const one of given.where) query.append("where", one);
  for (const one of given.pick) query.append("pick", one);
  return `/api/v1/servers/${server}/statements/export?${query}`;
}

interface LeftOutProps {
  readonly found: Schemas["RankingOut"] | undefined;
  readonly tools: boolean;
  readonly starred: boolean;
  readonly onSearch: Props["onSearch"];
}

/** What the list leaves out, and the way to have it. */
const LeftOut = ({ found, tools, starred, onSearch }: LeftOutProps) => (
  <p className="text-muted flex gap-4 pb-1 text-sm">
    {found && found.hidden > 0 ? (
      <button type="button" className="hover:text-accent" onClick={() => onSearch({ tools: "shown" })}>
        {found.hidden} of tools and of the system hidden: show
      </button>
    ) : null}
    {tools ? (
      <button type="button" className="hover:text-accent" onClick={() => onSearch({ tools: "" })}>
        hide those of tools and of the system
      </button>
    ) : null}
    {found && found.unfit > 0 ? <span>{found.unfit} do not meet the conditions</span> : null}
    <button
      type="button"
      className="hover:text-accent ml-auto"
      onClick={() => onSearch({ starred: starred ? "" : "only" })}
    >
      {starred ? "show all, not only the starred" : "only the starred"}
    </button>
  </p>
);

/** Why the list is empty. */
const None = ({ found, server }: { readonly found: Schemas["RankingOut"]; readonly server: number }) => (
  <p className="text-muted py-4">
    {found.covered_ms === 0 ? (
      <>
        The server&apos;s counters of statements were not read in this window: it was not watched then, or it lacks
        pg_stat_statements.{" "}
        <Link to="/servers/$server/load" params={{ server: String(server) }} className="text-accent hover:underline">
          What its sessions were seen doing
        </Link>{" "}
        needs none.
      </>
    ) : (
      "Every statement that ended in this window is listed here. Counters are read every 15 s, so a very short window can hold none."
    )}
  </p>
);
