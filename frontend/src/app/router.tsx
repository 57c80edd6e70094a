import type { QueryClient } from "@tanstack/react-query";
import {
  Outlet,
  createRootRouteWithContext,
  createRoute,
  createRouter,
  lazyRouteComponent,
  redirect,
  useNavigate,
} from "@tanstack/react-router";

import { Suspense, lazy } from "react";

import { sessionQuery } from "../api/queries";
import { WaitTextures } from "../charts/WaitTextures";
import { SignInPage } from "../features/account/SignInPage";
import { LoadPage } from "../features/load/LoadPage";
import { SamplesPage } from "../features/samples/SamplesPage";
import { BlockingPage } from "../features/locks/BlockingPage";
import { SessionsPage } from "../features/locks/SessionsPage";
import { TapePage } from "../features/locks/TapePage";
import { DeadlockPage } from "../features/deadlocks/DeadlockPage";
import { DeadlocksPage } from "../features/deadlocks/DeadlocksPage";
import { EventsPage } from "../features/deadlocks/EventsPage";
import { MachinePage } from "../features/machine/MachinePage";
import { GroupPage } from "../features/overview/GroupPage";
import { IndicatorsPage } from "../features/overview/IndicatorsPage";
import { BringPage } from "../features/plans/BringPage";
import { ComparePage } from "../features/plans/ComparePage";
import { PlanPage } from "../features/plans/PlanPage";
import { ServersPage } from "../features/servers/ServersPage";
import { SettingsPage } from "../features/servers/SettingsPage";
import { IndexesPage } from "../features/indexes/IndexesPage";
import { ExecutionsPage } from "../features/statements/ExecutionsPage";
import { RankingPage } from "../features/statements/RankingPage";
import { SplitPage } from "../features/statements/SplitPage";
import { StatementPage } from "../features/statements/StatementPage";
import { mergeSearch, parseQuery, readSearch, type ViewSearch, type WindowSpec, writeQuery } from "../lib/view";
import { BrokenView } from "./BrokenView";
import { OverviewFrame } from "./OverviewFrame";
import { ServerFrame } from "./ServerFrame";
import { Shell } from "./Shell";

const LazyPeople = lazy(() => import("../features/people/PeoplePage").then((m) => ({ default: m.PeoplePage })));

interface Context {
  readonly queries: QueryClient;
}

const root = createRootRouteWithContext<Context>()({
  component: () => (
    <>
      <WaitTextures />
      <Outlet />
    </>
  ),
  notFoundComponent: () => (
    <p className="p-8">
      There is no such page. The servers are at{" "}
      <a href="/" className="text-accent underline">
        the start
      </a>
      .
    </p>
  ),
});

const signIn = createRoute({
  getParentRoute: () => root,
  path: "/sign-in",
  validateSearch: (raw: Record<string, unknown>): { back?: string } =>
    // Only paths of our own: a link must not lead through sign-in to somewhere else.
    typeof raw.back === "string" && /^\/(?!\/)/.test(raw.back) ? { back: raw.back } : {},
  loader: ({ context }) => context.queries.query({ ...sessionQuery, staleTime: "static" }),
  component: function SignIn() {
    const session = signIn.useLoaderData();
    const { back } = signIn.useSearch();
    return <SignInPage demo={session.demo} onDone={() => router().history.push(back ?? "/")} />;
  },
});

const inside = createRoute({
  getParentRoute: () => root,
  id: "inside",
  beforeLoad: async ({ context, location }) => {
    const session = await context.queries.query({ ...sessionQuery, staleTime: "static" });
    if (session.username === null) throw redirect({ to: "/sign-in", search: { back: location.href } });
    return { session };
  },
  component: function Inside() {
    const { session } = inside.useRouteContext();
    return (
      <Shell username={session.username ?? ""} role={session.role ?? ""}>
        <Outlet />
      </Shell>
    );
  },
});

const servers = createRoute({
  getParentRoute: () => inside,
  path: "/",
  component: function Servers() {
    const { session } = inside.useRouteContext();
    return <ServersPage canConnect={session.role === "admin"} />;
  },
});

// Loaded when somebody goes there: what admins look after is no part of the first view.
const people = createRoute({
  getParentRoute: () => inside,
  path: "/people",
  component: function People() {
    const { session } = inside.useRouteContext();
    return (
      <Suspense fallback={<p className="text-muted px-6 py-4">Reading the people …</p>}>
        <LazyPeople self={session.username ?? ""} />
      </Suspense>
    );
  },
});

const record = createRoute({
  getParentRoute: () => inside,
  path: "/record",
  component: lazyRouteComponent(() => import("../features/people/RecordPage"), "RecordPage"),
});

const account = createRoute({
  getParentRoute: () => inside,
  path: "/account",
  component: lazyRouteComponent(() => import("../features/people/PasswordPage"), "PasswordPage"),
});

const collectors = createRoute({
  getParentRoute: () => inside,
  path: "/collectors",
  component: lazyRouteComponent(() => import("../features/collectors/CollectorsPage"), "CollectorsPage"),
});

const plans = createRoute({
  getParentRoute: () => inside,
  path: "/plans",
  validateSearch: readSearch, // the window that a plan was looked at from stays picked
  component: function Plans() {
    const navigate = useNavigate();
    return <BringPage onPlan={(key) => void navigate({ to: "/plans/$key", params: { key }, search: true })} />;
  },
});

const plan = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key",
  validateSearch: readSearch,
  component: function Plan() {
    const { key } = plan.useParams();
    const navigate = useNavigate();
    return (
      <PlanPage
        planKey={key}
        onAgainst={(other) => void navigate({ to: "/plans/$key/against/$other", params: { key, other }, search: true })}
      />
    );
  },
});

const plansCompared = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key/against/$other",
  validateSearch: readSearch,
  component: function Compared() {
    const { key, other } = plansCompared.useParams();
    return <ComparePage planKey={key} other={other} />;
  },
});

const HOUR: WindowSpec = { last: 3600 };

const group = createRoute({
  getParentRoute: () => inside,
  path: "/groups/$group",
  validateSearch: readSearch,
  component: function Group() {
    const { group: name } = group.useParams();
    const search = group.useSearch();
    return (
      <OverviewFrame title={`Group ${name}`} search={search} usual={HOUR}>
        <GroupPage name={name} search={{ ...HOUR, ...search }} />
      </OverviewFrame>
    );
  },
});

const indicators = createRoute({
  getParentRoute: () => inside,
  path: "/indicators",
  validateSearch: readSearch,
  component: function Indicators() {
    const search = indicators.useSearch();
    return (
      <OverviewFrame title="Indicators" search={search} usual={HOUR}>
        <IndicatorsPage search={search} onSearch={useChangeSearch()} />
      </OverviewFrame>
    );
  },
});

const server = createRoute({
  getParentRoute: () => inside,
  path: "/servers/$server",
  validateSearch: readSearch,
  component: function Server() {
    const { server: id } = server.useParams();
    const search = server.useSearch();
    return (
      <ServerFrame server={Number(id)} search={search}>
        <Outlet />
      </ServerFrame>
    );
  },
});

/** Changes part of what the URL holds; the rest stays. A new window replaces the old one whole. */
function useChangeSearch(): (change: Partial<ViewSearch>) => void {
  const navigate = useNavigate();
  return (change) => {
    void navigate({ to: ".", search: (old: Record<string, unknown>) => mergeSearch(readSearch(old), change) });
  };
}

const load = createRoute({
  getParentRoute: () => server,
  path: "load",
  component: function Load() {
    const { server: id } = server.useParams();
    const { session } = inside.useRouteContext();
    const navigate = useNavigate();
    const change = useChangeSearch();
    const open = (query: string): void =>
      void navigate({ to: "/servers/$server/statements/$query", params: { server: id, query }, search: true });
    return (
      <LoadPage
        server={Number(id)}
        search={server.useSearch()}
        canMark={session.role !== "viewer"}
        onSearch={change}
        onOpen={open}
      />
    );
  },
});

const statements = createRoute({
  getParentRoute: () => server,
  path: "statements",
  component: function Statements() {
    const { server: id } = server.useParams();
    return <RankingPage server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const statement = createRoute({
  getParentRoute: () => server,
  path: "statements/$query",
  component: function Statement() {
    const { server: id, query } = statement.useParams();
    const { session } = inside.useRouteContext();
    const navigate = useNavigate();
    const pick = (text: string): void =>
      void navigate({
        to: "/servers/$server/load",
        params: { server: id },
        search: (old: Record<string, unknown>) => {
          const mine = `statement:${query}`;
          return { ...readSearch(old), pick: text === mine ? [mine] : [mine, text] };
        },
      });
    return (
      <StatementPage
        server={Number(id)}
        query={query}
        search={server.useSearch()}
        onSearch={useChangeSearch()}
        onPick={pick}
        role={session.role ?? ""}
      />
    );
  },
});

const split = createRoute({
  getParentRoute: () => server,
  path: "split",
  component: function Split() {
    const { server: id } = server.useParams();
    return <SplitPage key={id} server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const executions = createRoute({
  getParentRoute: () => server,
  path: "executions",
  component: function Executions() {
    const { server: id } = server.useParams();
    return <ExecutionsPage key={id} server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const indexes = createRoute({
  getParentRoute: () => server,
  path: "indexes",
  component: function Indexes() {
    const { server: id } = server.useParams();
    return <IndexesPage key={id} server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const machine = createRoute({
  getParentRoute: () => server,
  path: "machine",
  component: function Machine() {
    const { server: id } = server.useParams();
    return <MachinePage key={id} server={Number(id)} search={server.useSearch()} />;
  },
});

const settings = createRoute({
  getParentRoute: () => server,
  path: "settings",
  component: function Settings() {
    const { server: id } = server.useParams();
    const { session } = inside.useRouteContext();
    return <SettingsPage key={id} server={Number(id)} role={session.role ?? ""} />;
  },
});

const samples = createRoute({
  getParentRoute: () => server,
  path: "samples",
  component: function Samples() {
    const { server: id } = server.useParams();
    const search = server.useSearch();
    return <SamplesPage key={JSON.stringify(search)} server={Number(id)} search={search} />;
  },
});

const sessions = createRoute({
  getParentRoute: () => server,
  path: "sessions",
  component: function Sessions() {
    const { server: id } = server.useParams();
    const { session } = inside.useRouteContext();
    return (
      <SessionsPage
        key={id}
        server={Number(id)}
        search={server.useSearch()}
        role={session.role ?? ""}
        onSearch={useChangeSearch()}
      />
    );
  },
});

const tape = createRoute({
  getParentRoute: () => server,
  path: "sessions/$pid",
  component: function Tape() {
    const { server: id, pid } = tape.useParams();
    const { session } = inside.useRouteContext();
    return (
      <TapePage
        key={`${id}-${pid}`}
        server={Number(id)}
        pid={Number(pid)}
        search={server.useSearch()}
        role={session.role ?? ""}
      />
    );
  },
});

const blocking = createRoute({
  getParentRoute: () => server,
  path: "blocking",
  component: function Blocking() {
    const { server: id } = server.useParams();
    return <BlockingPage key={id} server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const deadlocks = createRoute({
  getParentRoute: () => server,
  path: "deadlocks",
  component: function Deadlocks() {
    const { server: id } = server.useParams();
    return <DeadlocksPage key={id} server={Number(id)} search={server.useSearch()} />;
  },
});

const deadlock = createRoute({
  getParentRoute: () => server,
  path: "deadlocks/$pattern",
  component: function Deadlock() {
    const { server: id, pattern } = deadlock.useParams();
    const { session } = inside.useRouteContext();
    return (
      <DeadlockPage
        key={`${id}-${pattern}`}
        server={Number(id)}
        pattern={pattern}
        search={server.useSearch()}
        role={session.role ?? ""}
        onSearch={useChangeSearch()}
      />
    );
  },
});

const events = createRoute({
  getParentRoute: () => server,
  path: "events",
  component: function Events() {
    const { server: id } = server.useParams();
    return <EventsPage key={id} server={Number(id)} search={server.useSearch()} onSearch={useChangeSearch()} />;
  },
});

const tree = root.addChildren([
  signIn,
  inside.addChildren([
    servers,
    group,
    indicators,
    people,
    record,
    account,
    collectors,
    plans,
    plan,
    plansCompared,
    server.addChildren([
      load,
      statements,
      statement,
      split,
      executions,
      indexes,
      sessions,
      tape,
      blocking,
      deadlocks,
      deadlock,
      events,
      machine,
      samples,
      settings,
    ]),
  ]),
]);

let made: ReturnType<typeof build> | undefined;
const build = (queries: QueryClient) =>
  createRouter({
    routeTree: tree,
    context: { queries },
    parseSearch: parseQuery,
    stringifySearch: writeQuery,
    defaultErrorComponent: BrokenView,
  });

/** The router of this page; made once. */
export function makeRouter(queries: QueryClient): ReturnType<typeof build> {
  made = build(queries);
  return made;
}

function router(): ReturnType<typeof build> {
  if (!made) throw new Error("the router is asked for before it is made");
  return made;
}

declare module "@tanstack/react-router" {
  interface Register {
    router: ReturnType<typeof build>;
  }
}
