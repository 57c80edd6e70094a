import { useMutation, useQueryClient } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";
import { span } from "../../lib/time";
import { sessions, share } from "../../lib/units";
import { Menu } from "../../ui/Menu";
import { departureWords } from "./model";

interface Props {
  readonly server: number;
  readonly usual: Schemas["UsualOut"];
  readonly now: number;
  readonly canMark: boolean;
  readonly onWindow: (from: number, to: number) => void;
}

const SHOWN = 2;

/** Where load left the usual band, largest first: a click looks closer, and an incident can be left out of the usual. */
export const Departures = ({ server, usual, now, canMark, onWindow }: Props) => {
  const { mark, unmark } = useMarking(server);
  if (usual.known === 0)
    return (
      <span className="text-muted">
        what is usual is not known yet: {usual.days} of {usual.days_needed} earlier days alike
      </span>
    );
  return (
    <span className="flex flex-wrap items-baseline gap-x-4">
      {usual.known < 1 ? (
        <span
          className="text-muted"
          title={`for the rest there are fewer than ${usual.days_needed} earlier days alike`}
        >
          usual known for {share(usual.known)} of this window
        </span>
      ) : null}
      {usual.departures.length === 0 ? (
        <span className="text-muted" title={`days and weekends by the clock of ${usual.zone}`}>
          within the usual
        </span>
      ) : null}
      {usual.departures.slice(0, SHOWN).map((one) => (
        <span key={`${one.side}${one.start}`} className="inline-flex items-baseline gap-1">
          <button
            type="button"
            className="hover:text-accent"
            title={`${sessions(one.load)} against ${sessions(one.usual)} usual, ${span(one.start, one.end, now)}; click to look at it`}
            onClick={() => onWindow(one.start, one.end)}
          >
            {departureWords(one)}
          </button>
          {canMark ? (
            <Menu
              label={`about ${departureWords(one)}`}
              className="text-muted"
              entries={[
                {
                  label: "an incident: exclude it from the usual",
                  act: () => mark.mutate({ start: one.start, end: one.end, label: departureWords(one) }),
                },
              ]}
            >
              ▾
            </Menu>
          ) : null}
        </span>
      ))}
      {usual.departures.length > SHOWN ? (
        <Menu
          label="more departures from the usual"
          className="text-muted"
          entries={usual.departures
            .slice(SHOWN, SHOWN + 20)
            .map((one) => ({ label: departureWords(one), act: () => onWindow(one.start, one.end) }))}
        >
          {usual.departures.length - SHOWN} more ▾
        </Menu>
      ) : null}
      {usual.marks.map((one) => (
        <Menu
          key={one.id}
          label={`marked: ${one.label}`}
          className="text-muted"
          entries={[
            { label: "look at it", act: () => onWindow(one.start, one.end) },
            ...(canMark ? [{ label: "learn the usual from it again", act: () => unmark.mutate(one.id) }] : []),
          ]}
        >
          marked by {one.marked_by}: {one.label} ▾
        </Menu>
      ))}
      {mark.error ? <span className="text-danger">{mark.error.message}</span> : null}
    </span>
  );
};

/** Spans that are no day like others: marking one, and taking the mark back. */
function useMarking(server: number) {
  const queries = useQueryClient();
  const refresh = (): void => void queries.invalidateQueries({ queryKey: ["load", server] });
  const mark = useMutation({
    mutationFn: (body: Schemas["MarkBody"]) =>
      ask(client.POST("/api/v1/servers/{server_id}/unusual", { params: { path: { server_id: server } }, body })),
    onSuccess: refresh,
  });
  const unmark = useMutation({
    mutationFn: (id: number) =>
      ask(
        client.DELETE("/api/v1/servers/{server_id}/unusual/{span_id}", {
          params: { path: { server_id: server, span_id: id } },
        }),
      ),
    onSuccess: refresh,
  });
  return { mark, unmark };
}
