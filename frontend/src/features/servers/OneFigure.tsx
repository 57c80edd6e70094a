import type { Schemas } from "../../api/client";
import { ManyLines } from "../../charts/ManyLines";
import { figure } from "../../lib/figure";
import { present } from "../../lib/time";
import { INDICATORS } from "../../lib/words/indicators";
import type { IndicatorName } from "./indicators";

interface Props {
  readonly name: IndicatorName;
  readonly found: Schemas["IndicatorsOut"];
}

/** One indicator of all servers on one chart. */
export const OneFigure = ({ name, found }: Props) => {
  const one = found.indicators.find((indicator) => indicator.name === name);
  const lines = (one?.cells ?? [])
    .filter((cell) => cell.values.some((v) => v !== null))
    .map((cell) => ({
      name: found.servers.find((server) => server.id === cell.server)?.name ?? "",
      values: cell.values,
    }));
  if (one && lines.length === 0)
    return <p className="text-muted py-2">No server has {INDICATORS[name]} in this window.</p>;
  return (
    <div className="h-[230px] shrink-0">
      <ManyLines
        title={INDICATORS[name]}
        starts={found.starts}
        bucketMs={found.bucket_ms}
        start={found.start}
        end={found.end}
        now={present()}
        lines={lines}
        say={(value) => figure(value, one?.unit ?? "")}
      />
    </div>
  );
};
