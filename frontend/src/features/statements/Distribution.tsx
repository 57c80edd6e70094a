import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { Density } from "../../charts/Density";
import type { Region } from "../../charts/geometry/density";
import { present } from "../../lib/time";
import { count, duration } from "../../lib/units";
import type { WindowSpec } from "../../lib/view";
import { Button } from "../../ui/Button";
import { ExecutionList } from "./ExecutionList";
import { distributionQuery, executionsQuery } from "./executionQueries";
import { BY_WORDS, distributionSentence, readRegion, regionWords, writeRegion } from "./executions";
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
      <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-6">
        <div className="h-full min-h-[230px]">
          <Density
            start={found.start}
            end={found.end}
            bucketMs={found.bucket_ms}
            starts={found.starts}
            edgesMs={found.edges_ms}
            counts={found.counts}
            points={found.points}
            marks={marks}
            reading={distributionSentence(found)}
            now={present()}
            region={region}
            onRegion={setRegion}
          />
        </div>
        <section aria-label="Whose executions">
          <p className="text-sm">
            {region ? (
              <>
                <b className="font-semibold">{count(Math.round(shown.executions))}</b> in {regionWords(region)}{" "}
                <Button className="ml-1 text-xs" onClick={() => setRegion(null)}>
                  all again
                </Button>
              </>
            ) : (
              <span className="text-muted">Draw over a part of the picture to see whose those are.</span>
            )}
          </p>
          {shown.by
            .filter((one) => one.rows.length > 1 || (one.by === "plan" && one.rows.some((row) => row.value !== "")))
            .map((one) => (
              <Shares
                key={one.by}
                column={one}
                onPick={(value) => onOnly([...only.filter((o) => !o.startsWith(`${one.by}:`)), `${one.by}:${value}`])}
              />
            ))}
          <OnlySteps only={only} onOnly={onOnly} />
        </section>
      </div>
      <ExecutionList
        server={props.server}
        rows={list.data ?? []}
        title={region ? "the longest of these" : "the longest"}
        showStatement={props.showStatement}
        onAsk={props.onAsk}
      />
    </div>
  );
};

interface SharesProps {
  readonly column: Schemas["ByOut"];
  readonly onPick: (value: string) => void;
}

const Shares = ({ column, onPick }: SharesProps) => {
  const most = Math.max(...column.rows.map((row) => row.total_ms), 0);
  return (
    <div className="mt-1.5">
      <h2 className="border-line text-muted border-b text-sm">by {BY_WORDS[column.by] ?? column.by}, time in all</h2>
      <ul className="font-condensed">
        {column.rows.slice(0, 5).map((row) => (
          <li key={row.value}>
            <button
              type="button"
              className="hover:bg-raised grid w-full grid-cols-[minmax(0,1fr)_50px_140px] items-center gap-2 text-left text-sm"
              onClick={() => onPick(row.value)}
              title={`${row.label}: only these`}
            >
              <span className="truncate">{row.label || "unknown"}</span>
              <svg width="50" height="8" aria-hidden="true">
                <rect width={most ? (row.total_ms / most) * 50 : 0} height="8" fill="var(--running)" />
              </svg>
              <span className="text-right whitespace-nowrap">
                {duration(row.total_ms)} <span className="text-muted">in {count(Math.round(row.executions))}</span>
              </span>
            </button>
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
