import { Plus } from "lucide-react";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { ExportMenu } from "../../charts/ExportMenu";
import { useSize } from "../../charts/useSize";
import { Waterline } from "../../charts/Waterline";
import { DIMENSIONS, type DimensionName, isDimension } from "../../lib/dimensions";
import { stamp } from "../../lib/time";
import { duration, sessions } from "../../lib/units";
import { Trail } from "../../shell/Trail";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { Menu } from "../../ui/Menu";
import { useShortcuts } from "../../ui/useShortcuts";
import { Departures } from "./Departures";
import { Explanation } from "./Explanation";
import { Legend } from "./Legend";
import type { LoadSearch } from "./load.route";
import { RANKED_BY, bytesTable, countedWords, dimmedKinds, legend, sieveTable } from "./model";
import { Sieve } from "./Sieve";
import { TotalView } from "./TotalView";
import { UnderLoad } from "./UnderLoad";
import { type LoadView, useLoadView } from "./useLoadView";
import { ViewChoices } from "./ViewChoices";

interface Props {
  readonly server: number;
  readonly total: boolean; // what took most in the window, instead of when
  readonly search: LoadSearch;
  readonly canMark: boolean;
  readonly onSearch: (change: Partial<LoadSearch>) => void;
  readonly onOpen: (dimension: DimensionName, number: string) => void;
}

const MIN_ROWS = 6;
const ROW_PX = 34; // height of a row of the sieve, and of what stands above and below the rows
const HEAD_PX = 48;
const MANY_ROWS = 50;

/** When it got slow, whether it runs or waits, on what, and who causes it. */
export const LoadPage = ({ server, total, search, canMark, onSearch, onOpen }: Props) => {
  const [many, setMany] = useState(false);
  const [below, size] = useSize<HTMLDivElement>();
  const rows = many ? MANY_ROWS : Math.max(MIN_ROWS, Math.floor((size.height - HEAD_PX) / ROW_PX));
  const view = useLoadView({ server, total, search, rows, onSearch });
  const { load } = view;
  useShortcuts({ Backspace: () => view.setTrail(view.trail.slice(0, -1)) });
  return (
    <div className="pane-column px-6">
      {view.failure ? <LoadFailure error={view.failure} asOf={view.asOf} retry={view.retry} /> : null}
      {load ? <LoadHead load={load} fresh={!view.older.load} held={view.held} trail={view.trail} /> : null}
      <div className="flex items-baseline justify-between gap-6 text-sm">
        {load?.usual ? (
          <Departures
            server={server}
            usual={load.usual}
            now={load.now}
            canMark={canMark}
            onWindow={(from, to) => onSearch({ from, to })}
          />
        ) : (
          <span />
        )}
        <ViewChoices search={search} earlier={view.earlier} load={load} onSearch={onSearch} />
      </div>
      <div
        className={`border-line small:h-auto small:grid-cols-1 small:grid-rows-[280px_auto] grid h-[280px] shrink-0 grid-cols-[minmax(0,1fr)_264px] gap-5 border-b pb-1 ${view.older.load || view.failure ? "opacity-50" : ""}`}
      >
        <Picture view={view} onSearch={onSearch} />
        <Beside view={view} server={server} onSearch={onSearch} />
      </div>
      {search.under === "machine" && load ? (
        <UnderLoad server={server} spec={view.spec} start={load.start} end={load.end} now={load.now} />
      ) : null}
      <SieveBar view={view} onSearch={onSearch} />
      <div
        ref={below}
        className={`pane-rest pb-2 ${view.older.sieve ? "opacity-50" : ""}`}
        onPointerEnter={() => view.hold(true)}
        onPointerLeave={() => view.hold(false)}
      >
        {view.by !== "" && view.bytes ? (
          <p className="text-muted text-sm empty:hidden">{countedWords(view.bytes)}</p>
        ) : null}
        {view.found ? (
          <Sieve
            found={view.found}
            columns={view.columns}
            onPick={view.pick}
            onColumns={(next) => onSearch({ columns: next })}
            onExplain={(value) => onSearch({ wait: value })}
            onOpen={onOpen}
            onMore={() => setMany(true)}
          />
        ) : null}
      </div>
    </div>
  );
};

interface PartProps {
  readonly view: LoadView;
  readonly onSearch: Props["onSearch"];
}

/** The waterline, or the window in total. */
const Picture = ({ view, onSearch }: PartProps) => {
  const { load, whole } = view;
  if (whole) return <TotalView column={whole} onPick={(value, mode) => view.pick(view.split, value, mode)} />;
  if (!load)
    return view.unread ? null : (
      <p className="text-muted self-center" role="status">
        Reading samples …
      </p>
    );
  return (
    <Waterline
      load={load}
      before={view.before}
      cores={load.cores}
      now={load.now}
      reading={load.sentence}
      dimmed={dimmedKinds(view.trail)}
      onBrush={(from, to) => onSearch({ from, to })}
      onHold={view.hold}
    />
  );
};

/** What the layers are, and what the wait means that is asked about. */
const Beside = ({ view, server, onSearch }: PartProps & { readonly server: number }) => (
  <div className="flex min-h-0 flex-col gap-2 overflow-y-auto pt-1 pr-1 text-[13px]">
    {view.load ? (
      <Legend
        rows={legend(view.load)}
        split={view.split}
        dimmed={dimmedKinds(view.trail)}
        onSplit={(next) => onSearch({ split: next === "kind" ? "" : next })}
        onPick={(value, mode) => view.pick(view.split, value, mode)}
      />
    ) : null}
    {view.explained ? <Explanation wait={view.explained} server={server} /> : null}
  </div>
);

/** The trail, and what the sieve is ranked by, saved as, and made of. */
const SieveBar = ({ view, onSearch }: PartProps) => {
  const { sieve, bytes } = view;
  return (
    <div className="flex items-center justify-between pt-1">
      <Trail trail={view.trail} words={view.words} onTrail={view.setTrail} />
      <span className="flex items-baseline gap-4">
        <span className="text-muted text-sm">
          ranked by{" "}
          <Choice
            label="rank the sieve by"
            value={view.by}
            options={Object.entries(RANKED_BY).map(([value, label]) => ({ value, label }))}
            onChange={(next) => onSearch({ by: next })}
          />
        </span>
        {view.by === "" && sieve ? <ExportMenu name="sieve" table={() => sieveTable(sieve)} /> : null}
        {view.by !== "" && bytes ? <ExportMenu name="bytes" table={() => bytesTable(bytes)} /> : null}
        <AddColumn columns={view.columns} onColumns={(next) => onSearch({ columns: next })} />
      </span>
    </div>
  );
};

const LoadHead = ({
  load,
  fresh,
  held,
  trail,
}: {
  readonly load: Schemas["LoadOut"];
  readonly fresh: boolean;
  readonly held: boolean;
  readonly trail: readonly string[];
}) => {
  const since = load.since === null ? "" : ` since ${stamp(load.since)}`;
  const inside = trail.length && load.total !== null ? ` Inside the trail: ${sessions(load.total)}.` : "";
  const holders = load.idle_holders >= 0.05 ? ` ${sessions(load.idle_holders)} more idle in an open transaction.` : "";
  return (
    <header className="flex items-baseline justify-between gap-6 pt-2 pb-1">
      <h1 className="text-base font-semibold">
        {load.sentence}
        {since}.
        <span className="font-normal">
          {inside}
          {holders}
        </span>
      </h1>
      <p className="text-muted shrink-0 text-sm">
        {duration(load.bucket_ms)} a bar · sampled every {duration(load.period_ms)}
        {load.resolution_ms > load.period_ms
          ? `, summed up by ${load.resolution_ms >= 3_600_000 ? "hour" : "minute"}`
          : ""}
        {load.missing > 0 ? ` · ${load.missing} samples missing` : ""}
        {fresh ? "" : " · loading"}
        {held ? " · held while you point at it" : ""}
      </p>
    </header>
  );
};

interface FailureProps {
  readonly error: Error;
  readonly asOf: number | null; // when what is still shown was read; null: nothing is
  readonly retry: () => void;
}

const LoadFailure = ({ error, asOf, retry }: FailureProps) => {
  const api = error instanceof ApiError ? error : null;
  const waiting = api?.collector?.readings_waiting;
  const kept = waiting ? ` The collector keeps ${waiting} readings on disk until it is back.` : "";
  return (
    <Failure
      title={api?.title ?? "The load cannot be shown"}
      detail={`${error.message}${kept}${asOf === null ? "" : ` This is as of ${stamp(asOf)}.`}`}
      remedy={api?.remedy ?? null}
      retry={retry}
    />
  );
};

const AddColumn = ({
  columns,
  onColumns,
}: {
  readonly columns: readonly DimensionName[];
  readonly onColumns: (columns: DimensionName[]) => void;
}) => {
  const free = Object.keys(DIMENSIONS)
    .filter(isDimension)
    .filter((name) => !columns.includes(name));
  if (free.length === 0) return null;
  return (
    <Menu
      label="add a column to the sieve"
      className="text-muted text-sm"
      entries={free.map((name) => ({ label: DIMENSIONS[name], act: () => onColumns([...columns, name]) }))}
    >
      <Plus size={13} aria-hidden="true" /> column
    </Menu>
  );
};
