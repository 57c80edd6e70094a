import type { Schemas } from "../../api/client";
import { LAYERS } from "../../lib/words/layers";
import { REQUEST_CHANGES } from "../../lib/words/request_changes";
import { count, duration } from "../../lib/units";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import { statementText } from "./columns";

type Changed = Schemas["ChangedOut"];

const LEAST_SHARE = 0.02; // of what a request takes: what changed by less is not told

/** What is worth telling: what came, went or is run more or less often, and what takes notably more or less. */
export const notable = (changes: readonly Changed[], tookMs: number): Changed[] =>
  changes.filter((one) => one.change !== "same" || Math.abs(one.ms - one.ms_before) >= LEAST_SHARE * tookMs);

const MOST = 12;
const each = (n: number): string => (n === 0 ? "0" : count(Number(n.toPrecision(3))));

/** "+120 ms", "−3 ms". */
export const more = (ms: number): string => `${ms < 0 ? "−" : "+"}${duration(Math.abs(ms))}`;

interface Props {
  readonly server: number;
  readonly changes: readonly Changed[];
  readonly tookMs: number;
  readonly headings: readonly [string, string];
}

/** Statements and calls that came, went, or are run more or less often than on the other side. */
export const Changes = ({ server, changes, tookMs, headings }: Props) => {
  const told = notable(changes, tookMs);
  if (told.length === 0)
    return <p className="text-muted text-sm">A request runs and calls what the others do, as often and as long.</p>;
  return (
    <>
      <DataTable
        id="request-changes"
        label="what a request runs and calls beside the others"
        columns={columns(server, headings)}
        rows={told.slice(0, MOST)}
        rowKey={(one) => `${one.layer} ${one.label}`}
        sort={{ by: "by", descending: true }}
      />
      {told.length > MOST ? <p className="text-muted text-sm">and {count(told.length - MOST)} more.</p> : null}
    </>
  );
};

const columns = (server: number, [now, before]: Props["headings"]): Column<Changed>[] => [
  {
    ...{ id: "change", heading: "change", value: (one: Changed) => REQUEST_CHANGES[one.change] },
    show: (one) => (one.change === "same" ? "" : <b className="font-semibold">{REQUEST_CHANGES[one.change]}</b>),
  },
  {
    ...{ id: "what", heading: "statement or call", wide: true, value: (one: Changed) => one.label },
    say: (one) => `${LAYERS[one.layer]}: ${one.label}`,
    show: (one) =>
      one.layer === "database" ? (
        statementText(server, { text: one.label, query_id: one.query_id })
      ) : (
        <>
          {one.label} <span className="text-muted text-sm">{LAYERS[one.layer]}</span>
        </>
      ),
  },
  {
    ...{ id: "runs", heading: "times", title: `in a request: ${now}`, align: "right" as const },
    value: (one) => one.runs,
    show: (one) => <b className="font-semibold">{each(one.runs)}</b>,
  },
  {
    ...{ id: "runs_before", heading: before, title: `times in a request: ${before}`, align: "right" as const },
    value: (one) => one.runs_before,
    show: (one) => each(one.runs_before),
  },
  {
    ...{ id: "by", heading: "a request takes", title: "of it, more than on the other side", align: "right" as const },
    value: (one) => Math.abs(one.ms - one.ms_before),
    say: (one) => `${duration(one.ms)}; ${before}: ${duration(one.ms_before)}`,
    show: (one) => more(one.ms - one.ms_before),
  },
];
