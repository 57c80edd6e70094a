import { useQuery } from "@tanstack/react-query";

import { machineQuery } from "../../api/queries";
import { machineTracks } from "../../charts/machineTracks";
import { Tracks } from "../../charts/Tracks";
import type { WindowSpec } from "../../lib/view";

interface Props {
  readonly server: number;
  readonly spec: WindowSpec;
  readonly start: number;
  readonly end: number;
  readonly now: number;
}

/** The machine's figures on the time axis of the load above. */
export const UnderLoad = ({ server, spec, start, end, now }: Props) => {
  const machine = useQuery(machineQuery(server, spec, 240));
  if (!machine.data) return <p className="text-muted">Reading the machine …</p>;
  if (machine.data.processes_at === null)
    return (
      <p className="text-muted">No figures of the machine in this window; the Machine page says how they come in.</p>
    );
  return (
    <div className={`grid grid-cols-[minmax(0,1fr)_264px] gap-5 ${machine.isPlaceholderData ? "opacity-50" : ""}`}>
      <Tracks
        title="Machine"
        starts={machine.data.starts}
        bucketMs={machine.data.bucket_ms}
        start={start}
        end={end}
        tracks={machineTracks(machine.data)}
        now={now}
      />
    </div>
  );
};
