import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useMemo } from "react";

import type { Schemas } from "../../api/client";
import { Lanes } from "../../charts/Lanes";
import { clock, stamp, present, when } from "../../lib/time";
import { count, duration, plural } from "../../lib/units";
import { windowOf } from "../../lib/view";
import { Before } from "./Before";
import {
  CIRCLE_ENDS,
  alike,
  blockingSentence,
  chosenEpisode,
  episodeKey,
  episodeSentence,
  isCircle,
  lanesOf,
  linkWords,
  outsideWords,
  rootWords,
} from "./model";
import { readKey } from "../../charts/sessions";
import { blockingQuery, chainsQuery, lanesQuery } from "./queries";
import { RequestLink, StatementLink, TapeLink } from "../../shell/SessionLinks";
import { AnswerState } from "../../ui/Answer";
import { DataTable } from "../../ui/table/DataTable";
import type { Column } from "../../ui/table/columns";
import type { BlockingSearch } from "./locks.route";

interface Props {
  readonly server: number;
  readonly search: BlockingSearch;
  readonly onSearch: (change: Partial<BlockingSearch>) => void;
}

const PAD_MS = 8_000; // before and after an episode, so that its beginning and end are seen

/** Who held up whom in the window: chains, lanes, time lost. */
export const BlockingPage = ({ server, search, onSearch }: Props) => {
  const blocking = useQuery(blockingQuery(server, windowOf(search), search.pick ?? []));
  const found = blocking.data;
  if (!found)
    return (
      <div className="px-6">
        <AnswerState of={blocking} what="the lock waits of this window" />
      </div>
    );
  const chosen = chosenEpisode(found.episodes, search.root);
  return (
    <div className={`pane px-6 pt-2 pb-6 ${blocking.isPlaceholderData ? "opacity-50" : ""}`}>
      <AnswerState of={blocking} what="the lock waits of this window" />
      <div className="flex items-baseline justify-between gap-4">
        <h1 className="text-base font-semibold">{blockingSentence(found)}</h1>
        <span className="text-muted shrink-0 text-sm">
          {found.lost_s ? `${duration(1000 * found.lost_s)} waited in all, ${count(found.most)} at once at most` : ""}
        </span>
      </div>
      {chosen ? (
        <>
          <Chosen server={server} one={chosen} search={search} onSearch={onSearch} />
          <div className="mt-4 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-8">
            <Episodes found={found} chosen={episodeKey(chosen)} onSearch={onSearch} />
            <Lost found={found} />
          </div>
        </>
      ) : (
        <p className="text-muted mt-2">
          Chains, lanes and the time they cost are shown when sessions wait for each other's locks. Choose another
          window on the rail above, or look at{" "}
          <Link to="/servers/$server/sessions" params={{ server: String(server) }} className="text-accent underline">
            all sessions
          </Link>
          .
        </p>
      )}
    </div>
  );
};

interface ChosenProps {
  readonly server: number;
  readonly one: Schemas["EpisodeOut"];
  readonly search: BlockingSearch;
  readonly onSearch: (change: Partial<BlockingSearch>) => void;
}

const Chosen = ({ server, one, search, onSearch }: ChosenProps) => {
  const [from, to] = [one.start - PAD_MS, one.end + PAD_MS];
  const drawn = useQuery(lanesQuery(server, from, to, one.pid, one.started_s));
  const lanes = drawn.data;
  const shown = useMemo(() => lanesOf(lanes?.lanes ?? [], isCircle(one)), [lanes, one]);
  const asked = Number(search.at);
  const at = Number.isFinite(asked) && asked >= from && asked < to ? asked : one.worst;
  const navigate = useNavigate();
  const outside = outsideWords(one);
  return (
    <>
      <p className="text-muted mt-1 text-sm">
        {when(one.start)} – {clock(one.end)}
        {outside ? <b className="text-ink ml-3 font-semibold">{outside}</b> : null}
        {isCircle(one) ? <CircleEnds server={server} one={one} /> : null}
      </p>
      <div className="mt-1 grid grid-cols-[minmax(0,3fr)_minmax(0,2fr)] gap-8">
        <div className="min-w-0">
          <h2 className="border-strong mb-1 border-b font-semibold">Lanes</h2>
          {lanes ? (
            <>
              <Lanes
                title="Lanes"
                reading={episodeSentence(one)}
                lanes={shown}
                from={from}
                to={to}
                tickMs={1000 * lanes.tick_s}
                now={present()}
                at={at}
                onMoment={(moment) => onSearch({ at: String(moment), root: episodeKey(one) })}
                onLane={(key) => {
                  const session = readKey(key);
                  if (session)
                    void navigate({
                      to: "/servers/$server/sessions/$pid",
                      params: { server: String(server), pid: String(session.pid) },
                      search: { from, to, started: String(session.started) },
                    });
                }}
              />
              {lanes.more ? (
                <p className="text-muted text-sm">
                  {plural(lanes.more, "more session waits", "more sessions wait")} for it and{" "}
                  {lanes.more === 1 ? "has" : "have"} no lane.
                </p>
              ) : null}
            </>
          ) : null}
          <AnswerState of={drawn} what="the lanes" />
        </div>
        <div className="min-w-0">
          <Chain server={server} at={at} root={one} />
          {one.session && !isCircle(one) ? <Before server={server} at={at} root={one} /> : null}
        </div>
      </div>
    </>
  );
};

/** That the server breaks a circle, and the way to the deadlock that its log tells of it. */
const CircleEnds = ({ server, one }: { readonly server: number; readonly one: Schemas["EpisodeOut"] }) => (
  <span className="block">
    {episodeSentence(one)} {CIRCLE_ENDS}{" "}
    {one.pattern === null ? (
      <Link to="/servers/$server/deadlocks" params={{ server: String(server) }} className="text-accent underline">
        All deadlocks of this window
      </Link>
    ) : (
      <Link
        to="/servers/$server/deadlocks/$pattern"
        params={{ server: String(server), pattern: one.pattern }}
        className="text-accent underline"
      >
        Its deadlock in the log, and how to fix it
      </Link>
    )}
  </span>
);

const Chain = ({
  server,
  at,
  root,
}: {
  readonly server: number;
  readonly at: number;
  readonly root: Schemas["EpisodeOut"];
}) => {
  const chains = useQuery(chainsQuery(server, at));
  const found = chains.data;
  const mine = found?.chains.find((chain) => chain.links[0]?.pid === root.pid && chain.gid === root.gid);
  const others = found?.chains.filter((chain) => chain !== mine) ?? [];
  return (
    <div className="min-w-0">
      <h2 className="border-strong mb-1 border-b font-semibold">
        The {isCircle(root) ? "circle" : "chain"} at {stamp(found?.at ?? at)}
        {others.length ? (
          <span className="text-muted font-normal">, one of {others.length + 1} at this moment</span>
        ) : null}
      </h2>
      <AnswerState of={chains} what="the chain" />
      {mine ? (
        <div role="tree" aria-label="blocking chain" className="max-h-[430px] overflow-y-auto" tabIndex={0}>
          {alike(mine.links).map(({ link, more }, i) => (
            <div
              key={`${link.pid}-${i}`}
              role="treeitem"
              aria-selected={false}
              aria-level={link.depth + 1}
              className="border-line border-b py-0.5"
              style={{ paddingLeft: `${Math.min(link.depth, 8) * 14}px` }}
            >
              <LinkRow server={server} link={link} chain={mine} />
              {more ? (
                <div className="text-muted text-sm">
                  and {plural(more, "more session like it", "more sessions like it")}
                </div>
              ) : null}
            </div>
          ))}
        </div>
      ) : (
        <p className="text-muted text-sm">
          {isCircle(root)
            ? "At this moment no session waited in this circle."
            : `At this moment no session was blocked by ${rootWords(root)}.`}
        </p>
      )}
    </div>
  );
};

const LinkRow = ({
  server,
  link,
  chain,
}: {
  readonly server: number;
  readonly link: Schemas["LinkOut"];
  readonly chain: Schemas["ChainOut"];
}) => {
  const one = link.session;
  const state =
    link.depth === 0 && !link.edge
      ? `root, ${chain.state}${one?.transaction_ms ? `, its transaction open for ${duration(one.transaction_ms)}` : ""}`
      : `${link.depth === 0 && link.edge ? `blocked by pid ${link.edge.blocker}: ` : ""}${linkWords(link)}`;
  return (
    <>
      <b className="font-semibold">{one ? one.program : chain.gid || "not sampled"}</b>{" "}
      {one ? <TapeLink server={server} one={one} /> : null}{" "}
      {link.behind ? <span className="text-muted text-sm">blocks {link.behind}</span> : null}
      <div className="text-sm">
        {state}
        {one?.trace ? <span className="text-muted">, for </span> : null}
        {one ? <RequestLink server={server} one={one} /> : null}
      </div>
      {one ? (
        <div className="truncate font-mono text-xs" title={one.statement}>
          <StatementLink server={server} one={one} />
        </div>
      ) : null}
    </>
  );
};

interface EpisodesProps {
  readonly found: Schemas["BlockingOut"];
  readonly chosen: string;
  readonly onSearch: (change: Partial<BlockingSearch>) => void;
}

const Episodes = ({ found, chosen, onSearch }: EpisodesProps) => (
  <section aria-label="Chains of this window" className="min-w-0">
    <h2 className="border-strong border-b font-semibold">Chains of this window</h2>
    <DataTable
      id="chains"
      label="blocking chains"
      columns={EPISODES}
      rows={found.episodes}
      rowKey={episodeKey}
      sort={{ by: "lost", descending: true }}
      current={(one) => episodeKey(one) === chosen}
      mark={(one) => (episodeKey(one) === chosen ? "bg-raised" : undefined)}
      link={(one, words, className) => (
        <button
          type="button"
          aria-pressed={episodeKey(one) === chosen}
          className={`${className} max-w-full text-left`}
          onClick={() => onSearch({ root: episodeKey(one), at: String(one.worst) })}
        >
          {words}
        </button>
      )}
    />
    {found.more ? <p className="text-muted text-sm">and {found.more} shorter ones.</p> : null}
  </section>
);

type Episode = Schemas["EpisodeOut"];

const EPISODES: Column<Episode>[] = [
  { id: "from", heading: "from", value: (one) => one.start, show: (one) => stamp(one.start) },
  { id: "to", heading: "to", optional: true, value: (one) => one.end, show: (one) => stamp(one.end) },
  { id: "root", heading: "root", wide: true, value: rootWords, say: rootWords },
  { id: "pid", heading: "pid", optional: true, align: "right", value: (one) => one.pid },
  { id: "state", heading: "state", value: (one) => one.state },
  {
    ...{ id: "lost", heading: "time lost", align: "right" as const },
    value: (one) => 1000 * one.lost_s,
    show: (one) => duration(1000 * one.lost_s),
  },
  { id: "blocked", heading: "blocked", align: "right", value: (one) => one.waiters },
  { id: "depth", heading: "depth", align: "right", value: (one) => one.depth },
  {
    id: "object",
    heading: "lock on",
    value: (one) => one.held?.object ?? null,
    show: (one) => one.held?.object ?? "not known",
  },
];

const Lost = ({ found }: { readonly found: Schemas["BlockingOut"] }) => (
  <section aria-label="Time lost" className="min-w-0">
    <h2 className="border-strong border-b font-semibold">Time lost, by root and by what was waited for</h2>
    {(
      [
        ["root's statement", found.by_statement],
        ["root's program", found.by_program],
        ["table", found.by_table],
        ["mode requested", found.by_mode],
      ] as const
    )
      .filter(([, rows]) => rows.length > 0)
      .map(([name, rows]) => (
        <div key={name} className="mt-1">
          <h3 className="text-muted text-sm">{name}</h3>
          {rows.slice(0, 5).map((one) => (
            <div key={one.key} className="font-condensed flex items-center gap-2" title={one.label}>
              <span className="w-1/2 truncate">{one.label}</span>
              <span
                className="bg-lock h-2"
                style={{ width: `${found.lost_s ? (30 * one.lost_s) / found.lost_s : 0}%` }}
              />
              <span className="ml-auto whitespace-nowrap">{duration(1000 * one.lost_s)}</span>
            </div>
          ))}
        </div>
      ))}
    {found.by_program.length > 0 && found.by_table.length === 0 ? (
      <p className="text-muted mt-2 text-sm">
        By table, mode and object only all waiting together is counted; inside a trail it is unknown.
      </p>
    ) : (
      <h3 className="text-muted mt-2 text-sm">most contended objects</h3>
    )}
    {found.objects.slice(0, 6).map((one) => (
      <div key={`${one.object}-${one.which}-${one.mode_wanted}-${one.via}`} className="font-condensed flex gap-2">
        <span className="grow truncate">
          {one.object} <span className="text-muted">{one.which}</span>
          {one.via === "queue" ? <span className="text-muted"> queued only</span> : null}
        </span>
        <span className="text-muted">{plural(one.waiters, "session", "sessions")}</span>
        <span className="w-20 text-right">{duration(1000 * one.lost_s)}</span>
      </div>
    ))}
  </section>
);
