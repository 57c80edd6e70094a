import { useQuery } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { loadQuery, sieveQuery } from "../../api/queries";
import { ExportMenu } from "../../charts/ExportMenu";
import { useSize } from "../../charts/useSize";
import { Waterline } from "../../charts/Waterline";
import { isKind, KIND_WORDS } from "../../charts/kinds";
import { DEFAULT_COLUMNS, DIMENSIONS, type DimensionName, isDimension } from "../../lib/dimensions";
import { stamp } from "../../lib/time";
import { picked, type PickMode } from "../../lib/trail";
import { duration, sessions } from "../../lib/units";
import { COMPARED, windowOf } from "../../lib/view";
import { Choice } from "../../ui/Choice";
import { Failure } from "../../ui/Failure";
import { Menu } from "../../ui/Menu";
import { useShortcuts } from "../../ui/useShortcuts";
import { useStill } from "../../ui/useStill";
import { Departures } from "./Departures";
import { Explanation } from "./Explanation";
import { Legend } from "./Legend";
import {
  byteColumns,
  bytesTable,
  countedWords,
  dimmedKinds,
  earlierSpec,
  isRankedBy,
  legend,
  RANKED_BY,
  sessionColumns,
  sieveTable,
  waitToExplain,
} from "./model";
import { bytesQuery, waitQuery } from "./queries";
import { Sieve } from "./Sieve";
import { TotalView } from "./TotalView";
import { Trail } from "../../shell/Trail";
import { UnderLoad } from "./UnderLoad";
import { ViewChoices } from "./ViewChoices";
import type { LoadSearch } from "./load.route";

interface Props {
  readonly server: number;
  readonly total: boolean; // what took most in the window, instead of when
  readonly search: LoadSearch;
  readonly canMark: boolean;
  readonly onSearch: (change: Partial<LoadSearch>) => void;
  readonly onOpen: (queryId: string) => void;
}

const MIN_ROWS = 6;
const TOTAL_ROWS = 14;
const ROW_PX = 34; // height of a row of the sieve, and of what stands above and below the rows
const HEAD_PX = 48;
const MANY_ROWS = 50;

/** When it got slow, whether it runs or waits, on what, and who is behind it. */
export const LoadPage = ({ server, total, search, canMark, onSearch, onOpen }: Props) => {
  const [held, setHeld] = useState(false);
  const [many, setMany] = useState(false);
  const [below, size] = useSize<HTMLDivElement>();
  const rows = many ? MANY_ROWS : Math.max(MIN_ROWS, Math.floor((size.height - HEAD_PX) / ROW_PX));
  const spec = windowOf(search);
  const trail = search.pick ?? [];
  const columns = search.columns?.filter(isDimension) ?? [...DEFAULT_COLUMNS];
  const split = search.split !== undefined && isDimension(search.split) ? search.split : "kind";
  const load = useQuery(loadQuery(server, spec, trail, 240, split, trail.length === 0));
  const whole = useQuery({ ...sieveQuery(server, spec, trail, [split], TOTAL_ROWS), enabled: total });
  const compared = COMPARED[search.compare ?? ""];
  const earlier = useQuery({
    ...loadQuery(server, earlierSpec(load.data, compared?.days ?? 0), trail, 240),
    enabled: compared !== undefined && load.data !== undefined,
    refetchInterval: false,
  });
  const by = isRankedBy(search.by) ? search.by : "";
  const sieve = useQuery(sieveQuery(server, spec, trail, columns, rows));
  const moved = useQuery({
    ...bytesQuery(server, spec, trail, columns, rows, by === "written" ? by : "read"),
    enabled: by !== "",
  });
  // Nothing moves under a pointer; a change that the reader asked for is shown at once.
  const about = JSON.stringify([server, spec, trail, split]);
  const shownLoad = useStill(load.data, held, `${about}${String(load.isPlaceholderData)}`);
  const sieveAbout = `${about}${columns.join()}${rows}${String(sieve.isPlaceholderData)}`;
  const shownSieve = useStill(sieve.data, held, sieveAbout);
  const shownBytes = useStill(
    moved.data,
    held,
    `${about}${by}${columns.join()}${rows}${String(moved.isPlaceholderData)}`,
  );
  const waits = shownSieve?.columns.find((column) => column.dimension === "wait");
  const found = by === "" ? shownSieve && sessionColumns(shownSieve) : shownBytes && byteColumns(shownBytes, by);
  const asked = waitToExplain(search.wait, trail, waits);
  const wait = useQuery({ ...waitQuery(server, asked ?? "running"), enabled: asked !== null });
  const setTrail = (pick: string[]): void => onSearch({ pick, ...(pick.length ? {} : { wait: "" }) });
  const pick = (dimension: string, value: string, mode: PickMode): void =>
    setTrail(picked(trail, dimension, value, mode));
  useShortcuts({ Backspace: () => setTrail(trail.slice(0, -1)) });

  const failure = load.error ?? sieve.error ?? (by ? moved.error : null);
  const words = (dimension: string, value: string): string => {
    if (dimension === "kind" && isKind(value)) return KIND_WORDS[value];
    const rowsOf = shownSieve?.columns.find((column) => column.dimension === dimension)?.rows;
    return rowsOf?.find((row) => row.value === value)?.label ?? value;
  };
  return (
    <div className="pane-column px-6">
      {failure ? (
        <LoadFailure
          error={failure}
          asOf={load.data === undefined ? null : load.dataUpdatedAt}
          retry={() => void Promise.all([load.refetch(), sieve.refetch()])}
        />
      ) : null}
      {shownLoad ? (
        <LoadHead
          load={shownLoad}
          fresh={!load.isPlaceholderData}
          held={held && shownLoad !== load.data}
          trail={trail}
        />
      ) : null}
      <div className="flex items-baseline justify-between gap-6 text-sm">
        {shownLoad?.usual ? (
          <Departures
            server={server}
            usual={shownLoad.usual}
            now={shownLoad.now}
            canMark={canMark}
            onWindow={(from, to) => onSearch({ from, to })}
          />
        ) : (
          <span />
        )}
        <ViewChoices
          search={search}
          earlier={compared ? earlier.data : undefined}
          load={shownLoad}
          onSearch={onSearch}
        />
      </div>
      <div
        className={`border-line grid h-[280px] shrink-0 grid-cols-[minmax(0,1fr)_264px] gap-5 border-b pb-1 small:h-auto small:grid-cols-1 small:grid-rows-[280px_auto] ${load.isPlaceholderData || failure ? "opacity-50" : ""}`}
      >
        {total && whole.data?.columns[0] ? (
          <TotalView column={whole.data.columns[0]} onPick={(value, mode) => pick(split, value, mode)} />
        ) : shownLoad ? (
          <Waterline
            load={shownLoad}
            before={compared && !earlier.isPlaceholderData ? (earlier.data ?? null) : null}
            cores={shownLoad.cores}
            now={shownLoad.now}
            reading={shownLoad.sentence}
            dimmed={dimmedKinds(trail)}
            onBrush={(from, to) => onSearch({ from, to })}
            onHold={setHeld}
          />
        ) : load.error ? null : (
          <p className="text-muted self-center" role="status">
            Reading samples …
          </p>
        )}
        <div className="flex min-h-0 flex-col gap-2 overflow-y-auto pt-1 pr-1 text-[13px]">
          {shownLoad ? (
            <Legend
              rows={legend(shownLoad)}
              split={split}
              dimmed={dimmedKinds(trail)}
              onSplit={(next) => onSearch({ split: next === "kind" ? "" : next })}
              onPick={(value, mode) => pick(split, value, mode)}
            />
          ) : null}
          {wait.data && asked ? <Explanation wait={wait.data} server={server} /> : null}
        </div>
      </div>
      {search.under === "machine" && shownLoad ? (
        <UnderLoad server={server} spec={spec} start={shownLoad.start} end={shownLoad.end} now={shownLoad.now} />
      ) : null}
      <div className="flex items-center justify-between pt-1">
        <Trail trail={trail} words={words} onTrail={setTrail} />
        <span className="flex items-baseline gap-4">
          <span className="text-muted text-sm">
            ranked by{" "}
            <Choice
              label="rank the sieve by"
              value={by}
              options={Object.entries(RANKED_BY).map(([value, label]) => ({ value, label }))}
              onChange={(next) => onSearch({ by: next })}
            />
          </span>
          {by === "" && shownSieve ? <ExportMenu name="sieve" table={() => sieveTable(shownSieve)} /> : null}
          {by !== "" && shownBytes ? <ExportMenu name="bytes" table={() => bytesTable(shownBytes)} /> : null}
          <AddColumn columns={columns} onColumns={(next) => onSearch({ columns: next })} />
        </span>
      </div>
      <div
        ref={below}
        className={`pane-rest pb-2 ${(by ? moved : sieve).isPlaceholderData ? "opacity-50" : ""}`}
        onPointerEnter={() => setHeld(true)}
        onPointerLeave={() => setHeld(false)}
      >
        {by !== "" && shownBytes ? <p className="text-muted text-sm empty:hidden">{countedWords(shownBytes)}</p> : null}
        {found ? (
          <Sieve
            found={found}
            columns={columns}
            onPick={pick}
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
