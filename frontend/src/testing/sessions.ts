// Sessions with everything filled in but what a test cares about.
import type { Schemas } from "../api/client";

/** A session of now: active, running, behind nobody, unless said otherwise. */
export const live = (pid: number, more: Partial<Schemas["LiveSessionOut"]> = {}): Schemas["LiveSessionOut"] => ({
  pid,
  started_s: 100,
  state: "active",
  active: true,
  kind: "running",
  wait: "",
  wait_label: "running, no wait",
  query_id: null,
  statement: "",
  database: "ferry",
  user: "web",
  program: `p${pid}`,
  client: "127.0.0.9",
  backend: "client backend",
  transaction_ms: 10 * pid,
  statement_ms: 5,
  trace: "",
  endpoint: "",
  blocked_by: [],
  blocks: 0,
  waits_for: null,
  ...more,
});
