import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";

import type { Schemas } from "../../api/client";
import { Density } from "../../charts/Density";
import type { Region } from "../../charts/geometry/density";
import { readRegion, regionWords, writeRegion } from "../../charts/region";
import { present } from "../../lib/time";
import { count, duration } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { Button } from "../../ui/Button";
import { ExecutionList } from "./ExecutionList";
import { distributionQuery, executionsFile, executionsQuery } from "./executionQueries";
import { BY_WORDS, distributionSentence } from "./executions";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly server: number;
  readonly spec: WindowSpec;
  readonly only: string[];
  readonly trail: readonly string[];
  readonly region: string | undefined; // as the address holds it
  readonly onRegion: (region: string) => void;
  readonly marks: readonly { readonly at: number; readonly label: string }[];
  readonly onOnly: (only: string[]) => void;
  readonly onAsk: (execution: Schemas["ExecutionOut"], run: boolean) => void;
  readonly showStatement: boolean;
}

/** Single executions over time and duration; a region of them, whose they are, and each with what it was run with. */
export const Distribution = (props: Props) => {
  const { server, spec, only, trail, marks, onOnly } = props;
  const whole = useQuery(distributionQuery(server, spec, only, trail, null));
  const region = whole.data ? readRegion(props.region, whole.data) : null;
  const setRegion = (next: Region | null): void => props.onRegion(writeRegion(next));
  const part = useQuery({ ...distributionQuery(server, spec, only, trail, region), enabled: region !== null });
  const list = useQuery(executionsQuery(server, spec, only, trail, region));
  const found = whole.data;
  if (!found) return <AnswerState of={whole} what="executions" />;
  const shown = region && part.data && !part.isPlaceholderData ? part.data : found;
  if (found.captured === 0)
    return (
      <p className="text-muted py-2">
        No single execution is known in this window. They come from the server&apos;s log; the settings say what it must
        write for that, and what it costs.
      </p>
    );
  return (
    <div className={whole.isPlaceholderData ? "opacity-50" : ""}>
      <AnswerState of={whole} what="executions" />
      <p className="pb-1">{distributionSentence(found)}</p>
      <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-x-6">
        <div>
          <div className="h-[330px]">
            <Density
              what="executions"
              found={found}
              marks={marks}
              reading={distributionSentence(found)}
              now={present()}
              region={region}
              onRegion={setRegion}
            />
          </div>
          <div className="grid grid-cols-3 gap-x-6">
            <Columns of={["user", "client", "database"]} shown={shown} only={only} onOnly={onOnly} />
          </div>
        </div>
        <Whose
          server={server}
          shown={shown}
          region={region}
          only={only}
          onOnly={onOnly}
          onAll={() => setRegion(null)}
        />
      </div>
      <OneByOne
        {...props}
        rows={list.data ?? []}
        title={region ? "the longest of these" : "the longest"}
        file={executionsFile(server, { spec, only, pick: trail, region })}
      />
    </div>
  );
};

interface WhoseProps {
  readonly server: number;
  readonly shown: Schemas["DistributionOut"];
  readonly region: Region | null;
  readonly only: string[];
  readonly onOnly: (only: string[]) => void;
  readonly onAll: () => void;
}

/** Whose the executions are, which plans they ran by, and which sessions ran them, each a step to its tape. */
const Whose = ({ server, shown, region, only, onOnly, onAll }: WhoseProps) => {
  const sessions = shown.by.find((one) => one.by === "session");
  return (
    <section aria-label="Whose executions">
      <p className="text-sm">
        {region ? (
          <>
            <b className="font-semibold">{count(Math.round(shown.executions))}</b> in {regionWords(region)}{" "}
            <Button className="ml-1 text-xs" onClick={onAll}>
              all again
            </Button>
          </>
        ) : (
          <span className="text-muted">
            Draw over a part of the picture, or press a bar at its right, to see whose those are.
          </span>
        )}
      </p>
      <OnlySteps only={only} onOnly={onOnly} />
      <Columns of={["program", "plan"]} shown={shown} only={only} onOnly={onOnly} />
      {sessions?.rows.length ? (
        <Shares
          title="session, each a link to its tape"
          rows={sessions.rows}
          around={(row, inside) => (
            <Link
              to="/servers/$server/sessions/$pid"
              params={{ server: String(server), pid: String(Number.parseInt(row.value, 10)) }}
              search={region ? { from: region.from, to: region.to } : true}
              className={SHARE}
              title={`the tape of ${sessionWords(row.value)}`}
            >
              {inside}
            </Link>
          )}
        />
      ) : null}
    </section>
  );
};

interface ColumnsProps {
  readonly of: readonly string[];
  readonly shown: Schemas["DistributionOut"];
  readonly only: readonly string[];
  readonly onOnly: (only: string[]) => void;
}

/** Some dimensions, each ranked by time; one whose executions are all alike tells nothing and is left out. */
const Columns = ({ of, shown, only, onOnly }: ColumnsProps) =>
  shown.by
    .filter(({ by, rows }) => of.includes(by) && (rows.length > 1 || (by === "plan" && rows.some((row) => row.value))))
    .map(({ by, rows }) => (
      <Shares
        key={by}
        title={BY_WORDS[by] ?? by}
        rows={rows}
        onPick={(value) => onOnly([...only.filter((o) => !o.startsWith(`${by}:`)), `${by}:${value}`])}
      />
    ));

/** "booking-web 4411" of "4411 booking-web". */
const sessionWords = (value: string): string =>
  value.replace(/^(\d+) ?(.*)$/, (_, pid, program) => `${program} ${pid}`.trim());

interface OneByOneProps extends Props {
  readonly rows: readonly Schemas["ExecutionOut"][];
  readonly title: string;
  readonly file: string;
}

/** The executions themselves, for who wants them one by one. */
const OneByOne = ({ server, rows, title, showStatement, file, onAsk }: OneByOneProps) => {
  const [open, setOpen] = useState(false);
  if (rows.length === 0) return null;
  return (
    <>
      <Button className="mt-2" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "hide" : "show"} them one by one: {title}
      </Button>
      {open ? <ExecutionList {...{ server, rows, title, showStatement, file, onAsk }} /> : null}
    </>
  );
};

const SHARE =
  "hover:bg-raised grid w-full min-h-6 grid-cols-[minmax(0,1fr)_50px_128px] items-center gap-2 text-left text-sm";

type Row = Schemas["ShareOut"];

interface SharesProps {
  readonly title: string;
  readonly rows: readonly Row[];
  readonly onPick?: (value: string) => void;
  readonly around?: (row: Row, inside: ReactNode) => ReactNode; // in place of the button that picks
}

const Shares = ({ title, rows, onPick, around }: SharesProps) => {
  const most = Math.max(...rows.map((row) => row.total_ms), 0);
  const inside = (row: Row): ReactNode => (
    <>
      <span className="truncate">{around ? sessionWords(row.value) : row.label || "unknown"}</span>
      <svg width="50" height="8" aria-hidden="true">
        <rect width={most ? (row.total_ms / most) * 50 : 0} height="8" fill="var(--running)" />
      </svg>
      <span className="text-right whitespace-nowrap">
        {duration(row.total_ms)} <span className="text-muted">in {count(Math.round(row.executions))}</span>
      </span>
    </>
  );
  return (
    <div className="mt-1.5">
      <h2 className="border-line text-muted border-b text-sm">by {title}</h2>
      <ul className="font-condensed">
        {rows.slice(0, 5).map((row) => (
          <li key={row.value}>
            {around?.(row, inside(row)) ?? (
              <button
                type="button"
                className={SHARE}
                onClick={() => onPick?.(row.value)}
                title={`${row.label}: only these`}
              >
                {inside(row)}
              </button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
};

/** What the executions are narrowed to, each removable. */
export const OnlySteps = ({
  only,
  onOnly,
}: {
  readonly only: readonly string[];
  readonly onOnly: (only: string[]) => void;
}) => {
  const steps = only.filter((one) => !one.startsWith("statement:"));
  if (steps.length === 0) return null;
  return (
    <p className="mt-1.5 flex flex-wrap gap-2 text-sm">
      {steps.map((one) => (
        <Button key={one} className="text-xs" onClick={() => onOnly(only.filter((other) => other !== one))}>
          {one.replace(":", " ")} ×
        </Button>
      ))}
    </p>
  );
};
