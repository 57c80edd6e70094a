// The machine's figures as tracks under the load.
import { figure } from "../lib/figure";
import type { Track } from "./geometry/tracks";

export interface MachineLike {
  readonly cores: number | null;
  readonly series: Readonly<Record<string, readonly (number | null)[]>>;
}

const none: readonly (number | null)[] = [];

/** CPU, disk latency, disk requests and network, each with its own scale. */
export function machineTracks(machine: MachineLike): Track[] {
  const row = (name: string): readonly (number | null)[] => machine.series[name] ?? none;
  return [
    {
      name: machine.cores === null ? "CPU" : `CPU of ${machine.cores} cores`,
      most: 1,
      say: (v) => figure(v, "share"),
      parts: [
        { label: "user", fill: "var(--running)", values: row("cpu_user") },
        { label: "system", fill: "var(--tone-2)", values: row("cpu_system") },
        { label: "waiting for disk", fill: "url(#kind-data_io)", values: row("cpu_iowait") },
        { label: "taken by the hypervisor", fill: "var(--tone-3)", values: row("cpu_steal") },
      ],
    },
    {
      name: "Disk latency",
      say: (v) => figure(v, "ms"),
      parts: [{ label: "a request takes", fill: "var(--data_io)", values: row("disk_latency_ms") }],
    },
    {
      name: "Disk requests",
      say: (v) => figure(v, "per_s"),
      parts: [
        { label: "reads", fill: "var(--data_io)", values: row("disk_reads") },
        { label: "writes", fill: "var(--commit)", values: row("disk_writes") },
      ],
    },
    {
      name: "Network",
      say: (v) => figure(v, "bytes_per_s"),
      parts: [
        { label: "in", fill: "var(--tone-4)", values: row("net_in_bytes") },
        { label: "out", fill: "var(--tone-1)", values: row("net_out_bytes") },
      ],
    },
  ];
}
