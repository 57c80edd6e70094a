import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { type ReactNode, Suspense, lazy, useEffect, useMemo, useState } from "react";

import type { Schemas } from "../api/client";
import { loadQuery, marksQuery } from "../api/queries";
import { Rail } from "../charts/Rail";
import { Changes } from "../charts/TimeAxis";
import { clock, present } from "../lib/time";
import { DEFAULT_RAIL_S, type Base, type WindowSpec, around, bounds, follows, windowOf } from "../lib/view";
import { Choice } from "../ui/Choice";
import { useShortcuts } from "../ui/useShortcuts";
import { railLength, railOptions } from "./railLength";
import { type LeadingMark, eventMarks, fitting, noteMarks } from "./railMarks";
import { FrameTrail } from "./FrameTrail";
import { useHere } from "./places";
import { useChange, useRole } from "./screen";
import { useWindowKeys } from "./windowKeys";
import { WindowPicker } from "./WindowPicker";
import { ZoneChoice } from "./ZoneChoice";

const NoteChange = lazy(() => import("./NoteChange").then((m) => ({ default: m.NoteChange })));

interface Props {
  readonly server: number;
  readonly search: Base;
  readonly children: ReactNode;
}

/** The rail and the window above every view of one server; keys that move the window. */
export const ServerFrame = ({ server, search, children }: Props) => {
  const spec = windowOf(search);
  const here = useHere();
  const day = useQuery({ ...loadQuery(server, DAY, NO_PICKS, 360), enabled: search.rail === undefined });
  const now = useNow(follows(spec));
  const railSpec = { last: search.rail ?? railLength(day.data, bounds(spec, now).from, now) };
  const rail = useQuery(loadQuery(server, railSpec, NO_PICKS, 360));
  const change = useChange();
  const show = (window: WindowSpec): void => change(window);
  const open = useOpening(server, spec, show);
  useWindowKeys(spec, change);
  const told = useQuery(marksQuery(server, railSpec)).data ?? NO_MARKS;
  const changed = useMemo(() => told.filter((one) => one.kind === "change"), [told]);
  const single = [...noteMarks(rail.data?.notes ?? []), ...eventMarks(told, (1000 * railSpec.last) / MARKS_APART)];
  const marks = fitting(single, MOST_MARKS);
  return (
    <div className="pane-column">
      <div className="border-line grid shrink-0 grid-cols-[minmax(0,1fr)_264px] gap-5 border-b px-6 pt-1.5 small:grid-cols-1 small:gap-1">
        <div>
          {rail.error ? (
            // No alert: the page below tells the cause, and one cause is announced once.
            <p role="note" className="text-danger self-center text-sm">
              The rail {rail.data ? `is as of ${clock(rail.dataUpdatedAt)}` : "cannot be read"}: {rail.error.message}
            </p>
          ) : null}
          <Rail
            load={rail.data}
            window={bounds(spec, now)}
            marks={marks}
            now={now}
            onWindow={(from, to) => show({ from, to })}
            onMark={open}
          />
        </div>
        <div className="text-sm">
          <WindowPicker spec={spec} now={now} onWindow={show} />
          <div className="text-muted mt-1 flex justify-between">
            <span>
              rail{" "}
              <Choice
                label="length of the rail"
                value={String(railSpec.last)}
                options={railOptions(railSpec.last)}
                onChange={(value) => change({ rail: Number(value) })}
              />
            </span>
            <ZoneChoice at={now} />
          </div>
        </div>
      </div>
      {here.narrows === "itself" ? null : (
        <FrameTrail server={server} search={search} narrows={here.narrows} onTrail={(pick) => change({ pick })} />
      )}
      <div className="min-h-0 grow">
        <Changes value={changed}>{children}</Changes>
      </div>
      <Noting server={server} spec={spec} />
    </div>
  );
};

/** Goes to what a mark of the rail tells of. */
function useOpening(server: number, spec: WindowSpec, show: (window: WindowSpec) => void): (mark: LeadingMark) => void {
  const navigate = useNavigate();
  return ({ at, until, lead }) => {
    const window = around(spec, at, until, present());
    const params = { server: String(server) };
    switch (lead.to) {
      case "deadlocks":
        return void navigate({ to: "/servers/$server/deadlocks", params, search: window });
      case "changes":
        return void navigate({ to: "/servers/$server/changes", params, search: window });
      case "alert":
        return void navigate({ to: "/alerts/$alert", params: { alert: String(lead.id) } });
      case "leads":
        return void navigate({ to: "/servers/$server/leads", params, search: window });
      case "statements":
        return void navigate({ to: "/servers/$server/statements", params, search: window });
      case "events":
        return void navigate({ to: "/servers/$server/events", params, search: { ...window, kinds: [lead.kind] } });
      case "statement": {
        const statement = { ...params, query: lead.queryId };
        return void navigate({ to: "/servers/$server/statements/$query", params: statement, search: window });
      }
      case "time":
        show(window);
    }
  };
}

/** `h` notes a change, wherever one is. */
const Noting = ({ server, spec }: { readonly server: number; readonly spec: WindowSpec }) => {
  const [open, setOpen] = useState(false);
  const role = useRole();
  useShortcuts(role === "operator" || role === "admin" ? { h: () => setOpen(true) } : NO_KEYS);
  return (
    <Suspense fallback={null}>
      {open ? <NoteChange server={server} spec={spec} onClose={() => setOpen(false)} /> : null}
    </Suspense>
  );
};

const NO_KEYS = {};
const MARKS_APART = 160; // nearer ones of a kind are one mark
const MOST_MARKS = 24; // of 24 px each: what a rail holds in the smallest window
const NO_PICKS: readonly string[] = [];
const NO_MARKS: readonly Schemas["MarkedOut"][] = [];
const DAY: WindowSpec = { last: DEFAULT_RAIL_S };

/** The present moment, renewed each second only while the window follows it. */
function useNow(moving: boolean): number {
  const [now, setNow] = useState(() => present());
  useEffect(() => {
    if (!moving) return undefined;
    const timer = setInterval(() => setNow(present()), 1000);
    return () => {
      clearInterval(timer);
    };
  }, [moving]);
  return now;
}
