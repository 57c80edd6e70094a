import type { Schemas } from "../../api/client";
import { bytes, count, duration } from "../../lib/units";
import { Ddl } from "../../ui/Ddl";

/** How the reading of the server's log goes, and which of its settings single executions need, with their cost. */
export const LogState = ({ capture }: { readonly capture: Schemas["CaptureOut"] }) => {
  const state = capture.log_state;
  const lacking = capture.log_needs.filter((one) => !one.ok);
  return (
    <section aria-label="Its log">
      <h2 className="border-strong border-b font-semibold">Its log, for single executions, plans and errors</h2>
      <p className={`py-1 ${state.refused ? "text-danger" : "text-muted"}`}>
        {state.refused
          ? state.refused
          : state.read_at === null
            ? capture.log === ""
              ? "It is not read."
              : "It was not read yet."
            : `Read ${duration(Math.max(0, capture.now - new Date(state.read_at).getTime()))} ago; ${count(state.executions_last_hour)} executions kept in the last hour${
                state.behind > 1_000_000 ? `; ${bytes(state.behind)} behind` : ""
              }${state.unreadable ? `; ${count(state.unreadable)} entries were not readable` : ""}.`}
      </p>
      {capture.log_needs.length ? (
        <table className="font-condensed w-full text-sm">
          <tbody>
            {capture.log_needs.map((one) => (
              <tr key={one.name} className="border-line border-b align-top">
                <td className="w-16 py-0.5 font-semibold">{one.ok ? "set" : "missing"}</td>
                <td className="py-0.5">
                  {one.name} <span className="text-muted">{one.found}</span>
                  {one.cost ? <span className="text-muted block">{one.cost}</span> : null}
                  {one.ok || !one.remedy ? null : <Ddl text={one.remedy} />}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
      {capture.log_needs.length && lacking.length === 0 ? (
        <p className="text-muted py-1 text-sm">Nothing is missing.</p>
      ) : null}
    </section>
  );
};
