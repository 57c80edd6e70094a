import { queryOptions, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { type KeyboardEvent, useEffect, useState } from "react";

import { ask, client, type Schemas } from "../api/client";
import { when } from "../lib/time";
import { duration } from "../lib/units";
import { around } from "../lib/view";
import { AnswerState } from "../ui/Answer";
import { Dialog } from "../ui/Dialog";
import { present } from "../lib/time";
import { type View, useViews } from "./places";

const TYPED_MS = 200; // without a further letter, before it is asked
const LEAST_LETTERS = 2;

type Hit = Schemas["HitOut"];

const foundQuery = (server: number | null, words: string) =>
  queryOptions({
    queryKey: ["search", server, words],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/search", {
          params: { query: { words, ...(server === null ? {} : { server }) } },
          signal,
        }),
      ),
  });

interface Props {
  readonly server: number | null; // null: one is on none
  readonly role?: string;
  readonly open: boolean;
  readonly onClose: () => void;
}

/** Anything that was seen, found or written, by any part of it, on this server or on all; and screens to go to. */
export const Search = ({ server, role = "", open, onClose }: Props) => {
  const [text, setText] = useState("");
  const [wide, setWide] = useState(server === null);
  const where = wide ? null : server;
  const words = useSettled(text.trim());
  const asked = words.length >= LEAST_LETTERS;
  const found = useQuery({ ...foundQuery(where, words), enabled: open && asked });
  const go = useGo(server, found.data ?? ANY_TIME, onClose);
  const visit = useVisit(server, onClose);
  const screens = useScreens(server, role, text.trim());
  const hits = asked ? (found.data?.hits ?? []) : [];
  return (
    <Dialog title="Search" wide open={open} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          // Only what was found for these very words: not a hit of those that stood here before.
          const first = words === text.trim() ? hits[0] : undefined;
          if (screens[0]) visit(screens[0]);
          else if (first) go(first);
        }}
      >
        <input
          type="search"
          autoFocus
          aria-label="words to search for"
          placeholder="part of a statement, name, message or case, a pid; kind:lead server:… since:3d"
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={byArrows}
          className="bg-raised border-strong w-full border px-2 py-1"
        />
        {server === null ? null : (
          <label className="mt-1 flex min-h-6 items-center gap-1 text-sm">
            <input type="checkbox" checked={wide} onChange={(event) => setWide(event.target.checked)} /> on all servers
          </label>
        )}
      </form>
      {asked ? <AnswerState of={found} what="what contains this" /> : null}
      <ul className="mt-2" aria-label="found">
        {screens.map((one) => (
          <li key={one.to} className="border-line border-t">
            <Row kind="go to" label={one.title} note={one.place} act={() => visit(one)} />
          </li>
        ))}
        {hits.map((hit) => (
          <li key={`${hit.kind}:${hit.server}:${hit.value}`} className="border-line border-t">
            <Row
              kind={hit.kind_label}
              label={hit.label}
              note={noteOf(hit, where === null, isTimed(found.data ?? ANY_TIME))}
              mono={hit.kind === "statement"}
              act={() => go(hit)}
            />
          </li>
        ))}
      </ul>
      {asked && found.data?.hits.length === 0 && screens.length === 0 ? (
        <p className="text-muted mt-2">
          Nothing that was seen {where === null ? "on the servers you see" : "of this server"} contains this.
        </p>
      ) : null}
      {asked && found.data?.more ? (
        <p className="text-muted mt-2 text-sm">There are more statements; add a word.</p>
      ) : null}
    </Dialog>
  );
};

interface RowProps {
  readonly kind: string;
  readonly label: string;
  readonly note: string;
  readonly mono?: boolean;
  readonly act: () => void;
}

const Row = ({ kind, label, note, mono = false, act }: RowProps) => (
  <button
    type="button"
    onClick={act}
    onKeyDown={byArrows}
    className="focus-visible:bg-raised hover:bg-raised flex w-full items-baseline gap-3 px-1 py-1 text-left"
  >
    <span className="text-muted w-28 shrink-0 text-sm">{kind}</span>
    <span className={`min-w-0 grow truncate ${mono ? "font-mono text-xs" : ""}`} title={label}>
      {label}
    </span>
    <span className="text-muted shrink-0 text-sm">{note}</span>
  </button>
);

/** Down and up go from the words to what was found, and through it. */
const byArrows = (event: KeyboardEvent<HTMLElement>): void => {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const stops = event.currentTarget
    .closest("[role=dialog]")
    ?.querySelectorAll<HTMLElement>("input[type=search], ul[aria-label=found] button");
  if (step === undefined || !stops) return;
  event.preventDefault();
  const all = [...stops];
  all[all.indexOf(event.currentTarget) + step]?.focus();
};

/** Where it is, and when it was seen or what it took. */
const noteOf = (hit: Hit, everywhere: boolean, timed: boolean): string =>
  [
    everywhere ? hit.server_name : "",
    hit.kind === "statement"
      ? hit.ms === null
        ? "not in the last day"
        : `${duration(hit.ms)} in ${timed ? "that time" : "the last day"}`
      : hit.at === null
        ? ""
        : when(hit.at, false),
  ]
    .filter(Boolean)
    .join(", ");

/** The text once no further letter has come for a moment. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), TYPED_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [text]);
  return settled;
}

const MOST_SCREENS = 4;

/** Screens whose name begins so, or has a word that does. Those of a server only where one is on it. */
function useScreens(server: number | null, role: string, text: string): View[] {
  const views = useViews();
  const words = text.toLowerCase().replace(/^go( to)? /, "");
  if (words.length < LEAST_LETTERS) return [];
  return views
    .filter((one) => (one.place === "" ? !one.admin || role === "admin" : server !== null))
    .filter((one) => ` ${one.title} ${one.place}`.toLowerCase().includes(` ${words}`))
    .slice(0, MOST_SCREENS);
}

function useVisit(server: number | null, onClose: () => void): (view: View) => void {
  const navigate = useNavigate();
  return (view) => {
    onClose();
    void navigate({
      to: view.to as "/servers/$server/load",
      params: { server: String(server ?? "") },
      search: true,
    });
  };
}

const AROUND_MS = 900_000;

/** The time that was asked for, if any. */
type Times = Pick<Schemas["SearchOut"], "since" | "until">;

const ANY_TIME: Times = { since: null, until: null };

const isTimed = ({ since, until }: Times): boolean => since !== null && until !== null;

/** To the page of what was found, or to the load of a name. What was seen at a moment is opened there. */
function useGo(here: number | null, times: Times, onClose: () => void): (hit: Hit) => void {
  const navigate = useNavigate();
  return (hit) => {
    onClose();
    const params = { server: String(hit.server ?? here ?? "") };
    // A trail of another server's statements means nothing here.
    const elsewhere = {
      ...(hit.server !== null && hit.server !== here ? { pick: [] } : {}),
      ...(times.since && times.until ? { from: times.since, to: times.until } : {}),
    };
    const then =
      hit.at === null ? elsewhere : { ...elsewhere, ...around({ last: AROUND_MS / 1000 }, hit.at, hit.at, present()) };
    switch (hit.kind) {
      case "server":
        return void navigate({ to: "/servers/$server/leads", params: { server: hit.value }, search: { pick: [] } });
      case "statement":
        return void navigate({
          to: "/servers/$server/statements/$query",
          params: { ...params, query: hit.value },
          search: elsewhere as never,
        });
      case "endpoint":
        return void navigate({
          to: "/servers/$server/endpoints/$endpoint",
          params: { ...params, endpoint: hit.value },
          search: elsewhere as never,
        });
      case "trace":
        return void navigate({ to: "/servers/$server/requests/$trace", params: { ...params, trace: hit.value } });
      case "session":
        return void navigate({
          to: "/servers/$server/sessions/window",
          params,
          search: { ...elsewhere, find: hit.value },
        });
      case "case":
        return void navigate({ to: "/cases/$case", params: { case: hit.value } });
      case "alert":
        return void navigate({ to: "/alerts/$alert", params: { alert: hit.value } });
      case "lead":
        return void navigate({ to: "/servers/$server/leads", params, search: then });
      case "pattern":
        return void navigate({
          to: "/servers/$server/deadlocks/$pattern",
          params: { ...params, pattern: hit.value },
          search: then as never,
        });
      case "change":
        return void navigate({ to: "/servers/$server/changes", params, search: then });
      case "log":
        return void navigate({
          to: "/servers/$server/events",
          params,
          search: { ...then, text: hit.value } as never,
        });
      case "index":
        return void navigate({ to: "/servers/$server/indexes", params, search: elsewhere as never });
      default:
        return void navigate({
          to: "/servers/$server/load",
          params,
          search: { ...elsewhere, pick: [`${hit.kind}:${hit.value}`] },
        });
    }
  };
}
