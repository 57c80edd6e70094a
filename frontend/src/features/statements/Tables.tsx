import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";

import type { Schemas } from "../../api/client";
import { when } from "../../lib/time";
import { bytes, count, share } from "../../lib/units";
import { AnswerState } from "../../ui/Answer";
import { tablesQuery } from "./queries";

interface Props {
  readonly server: number;
  readonly query: string;
}

const STALE_SHARE = 0.2; // of the rows changed since statistics were taken: as the view of indexes judges it

/** The tables a statement touches, with their sizes, their statistics and their indexes. */
export const Tables = ({ server, query }: Props) => {
  const tables = useQuery(tablesQuery(server, query));
  const found = tables.data;
  return (
    <section aria-label="Tables" className="mt-4">
      <h2 className="border-strong flex items-baseline border-b font-semibold">
        Tables it touches
        <Link
          to="/servers/$server/indexes"
          params={{ server: String(server) }}
          className="text-accent ml-auto text-sm font-normal hover:underline"
        >
          indexes that would help
        </Link>
      </h2>
      <AnswerState of={tables} what="its tables" />
      {found ? <Found found={found} /> : null}
    </section>
  );
};

const Found = ({ found }: { readonly found: Schemas["TouchedTablesOut"] }) => (
  <>
    {found.tables.length ? (
      <table className="font-condensed w-full">
        <thead className="text-muted text-left text-sm">
          <tr>
            <th className="font-normal">table and its indexes</th>
            <th className="pl-3 font-normal">{found.surveyed ? "" : "on"}</th>
            <th className="pl-3 text-right font-normal">size</th>
            <th className="pl-3 text-right font-normal">{found.surveyed ? "" : "rows"}</th>
            <th className="pl-3 text-right font-normal">{found.surveyed ? "" : "read, since counters run"}</th>
            <th className="pl-3 font-normal">{found.surveyed ? "" : "statistics"}</th>
          </tr>
        </thead>
        {found.tables.map((table) => (
          <tbody key={table.name}>
            <TableRow table={table} />
            {table.indexes.map((index) => (
              <IndexRow key={index.name} index={index} />
            ))}
          </tbody>
        ))}
      </table>
    ) : null}
    <p className="text-muted py-0.5 text-sm">
      {found.tables.length === 0 && found.missing.length === 0 ? "It touches no table. " : ""}
      {missingWords(found)}
      {found.surveyed && found.tables.length
        ? "Sizes as surveyed; rows, indexes and statistics are known of real servers only."
        : ""}
    </p>
  </>
);

function missingWords(found: Schemas["TouchedTablesOut"]): string {
  const names = found.missing.join(", ");
  if (!names) return "";
  return found.surveyed
    ? `The size of ${names} was not surveyed. `
    : `No table of this database: ${names} (a view, a function, or gone since). `;
}

const TableRow = ({ table }: { readonly table: Schemas["TouchedTableOut"] }) => {
  const stale = (table.changed_since_analyze ?? 0) > STALE_SHARE * (table.rows ?? 0);
  return (
    <tr className="border-line border-b">
      <td className="py-0.5 font-semibold">
        {table.name}
        {table.partition_of ? <span className="text-muted font-normal"> of {table.partition_of}</span> : null}
      </td>
      <td />
      <td className="pl-3 text-right whitespace-nowrap">{bytes(table.size_bytes)}</td>
      <td className="pl-3 text-right whitespace-nowrap">
        {table.rows === null ? "" : count(Number(table.rows.toPrecision(3)))}
      </td>
      <td />
      <td className="pl-3 text-sm">
        {table.rows === null
          ? ""
          : table.analyzed_at === null
            ? "never taken"
            : `taken ${when(table.analyzed_at, false)}`}
        {stale && table.rows ? (
          <b className="font-semibold">
            , {share((table.changed_since_analyze ?? 0) / table.rows)} of the rows changed since
          </b>
        ) : null}
      </td>
    </tr>
  );
};

const IndexRow = ({ index }: { readonly index: Schemas["TableIndexOut"] }) => (
  <tr className="border-line border-b">
    <td className="py-0.5 pl-4">
      {index.name}
      {index.used ? <span className="text-muted text-sm"> used by its newest plan</span> : null}
    </td>
    <td className="max-w-0 w-1/3 truncate pl-3 font-mono text-xs" title={index.columns}>
      {index.columns}
    </td>
    <td className="pl-3 text-right whitespace-nowrap">{bytes(index.size_bytes)}</td>
    <td />
    <td className="pl-3 text-right whitespace-nowrap">
      {index.scans === null ? "" : index.scans === 0 ? "never" : `${count(index.scans)} times`}
    </td>
    <td />
  </tr>
);
