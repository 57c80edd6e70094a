import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { ALL_DIMENSIONS } from "../../lib/dimensions";
import { word, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useParam, useServer, useView } from "../../shell/screen";

const SESSIONS = { find: word, order: word, failed: word };
const TAPE = { started: word };

export type SessionsSearch = Base & SearchOf<typeof SESSIONS>;
export type TapeSearch = Base & SearchOf<typeof TAPE>;

const SessionsPage = lazyRouteComponent(() => import("./SessionsPage"), "SessionsPage");
const useSessions = () => ({
  ...useServer(),
  search: useView(SESSIONS),
  onSearch: useChange<SessionsSearch>(),
});

export const sessionsRoute = createRoute({
  getParentRoute: () => server,
  path: "sessions",
  ...own(SESSIONS),
  staticData: {
    title: "Sessions now",
    narrows: ALL_DIMENSIONS,
    nav: { place: "Sessions", label: "now", key: "n", words: "sessions now" },
  },
  component: showing(SessionsPage, () => ({ ...useSessions(), past: false })),
});

export const pastSessionsRoute = createRoute({
  getParentRoute: () => server,
  path: "sessions/window",
  ...own(SESSIONS),
  staticData: {
    title: "Sessions of the window",
    narrows: ALL_DIMENSIONS,
    nav: { place: "Sessions", label: "in this window", key: "p", words: "sessions of the window" },
  },
  component: showing(SessionsPage, () => ({ ...useSessions(), past: true })),
});

export const tapeRoute = createRoute({
  getParentRoute: () => server,
  path: "sessions/$pid",
  ...own(TAPE),
  staticData: { title: "Tape of a session", place: "Sessions" },
  component: showing(
    lazyRouteComponent(() => import("./TapePage"), "TapePage"),
    () => ({ ...useServer(), pid: Number(useParam("pid")), search: useView(TAPE) }),
  ),
});
