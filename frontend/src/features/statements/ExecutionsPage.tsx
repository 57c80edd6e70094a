import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ApiError } from "../../api/problem";
import { windowOf } from "../../lib/view";
import { Failure } from "../../ui/Failure";
import { Distribution } from "./Distribution";
import { PivotTable } from "./PivotTable";
import { RunDialog, useAsk } from "./asking";
import type { ExecutionsSearch } from "./statements.route";

interface Props {
  readonly server: number;
  readonly search: ExecutionsSearch;
  readonly onSearch: (change: Partial<ExecutionsSearch>) => void;
}

const NONE: string[] = [];

/** All single executions of a server: their distribution, and a table of them cut as one likes. */
export const ExecutionsPage = ({ server, search, onSearch }: Props) => {
  const only = search.only ?? NONE;
  const [running, setRunning] = useState<Schemas["ExecutionOut"] | null>(null);
  const question = useAsk(server);
  return (
    <div className="pane px-6 pt-2 pb-6">
      <h1 className="text-base font-semibold">Single executions</h1>
      <Distribution
        server={server}
        spec={windowOf(search)}
        only={only}
        trail={search.pick ?? NONE}
        region={search.region}
        onRegion={(region) => onSearch({ region })}
        marks={NO_MARKS}
        onOnly={(next) => onSearch({ only: next })}
        onAsk={(execution, run) => {
          if (run) setRunning(execution);
          else
            question.mutate({
              query_id: execution.query_id,
              execution: `${execution.ended} ${execution.pid} ${execution.place}`,
            });
        }}
        showStatement
      />
      {question.error ? (
        <Failure
          title="The server gave no plan"
          detail={question.error.message}
          remedy={question.error instanceof ApiError ? question.error.remedy : null}
        />
      ) : null}
      <PivotTable server={server} search={search} onSearch={onSearch} />
      <RunDialog server={server} execution={running} onClose={() => setRunning(null)} />
    </div>
  );
};

const NO_MARKS: readonly { at: number; label: string }[] = [];
