// The routes that all screens hang on: the root, what needs a sign-in, and one server.
import type { QueryClient } from "@tanstack/react-query";
import { Outlet, createRootRouteWithContext, createRoute, lazyRouteComponent, redirect } from "@tanstack/react-router";

import { sessionQuery } from "../api/queries";
import { WaitTextures } from "../charts/WaitTextures";
import { keptBase, readBase } from "../lib/view";
import { KeptLayouts } from "./KeptLayouts";
import { Shell } from "./Shell";

interface Context {
  readonly queries: QueryClient;
}

export const root = createRootRouteWithContext<Context>()({
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

/** All but the sign-in. Window, rail and trail stay picked wherever one goes. */
export const inside = createRoute({
  getParentRoute: () => root,
  id: "inside",
  validateSearch: readBase,
  search: {
    middlewares: [
      ({ search, next }) => {
        const there = next(search);
        const { last, from, to, rail, pick, ...own } = keptBase({ ...search }, { ...there }) as typeof there;
        return { ...own, ...readBase({ last, from, to, rail, pick }) };
      },
    ],
  },
  beforeLoad: async ({ context, location }) => {
    const session = await context.queries.query({ ...sessionQuery, staleTime: "static" });
    if (session.username === null) throw redirect({ to: "/sign-in", search: { back: location.href } });
    return { session };
  },
  component: function Inside() {
    const { session } = inside.useRouteContext();
    return (
      <Shell username={session.username ?? ""} role={session.role ?? ""} sees={session.sees} demo={session.demo}>
        <KeptLayouts>
          <Outlet />
        </KeptLayouts>
      </Shell>
    );
  },
});

export const server = createRoute({
  getParentRoute: () => inside,
  path: "/servers/$server",
  component: lazyRouteComponent(() => import("./ServerScreen"), "ServerScreen"),
});
