import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { word, words, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useParam, useServer, useView } from "../../shell/screen";

const DEADLOCK = { event: word };
const LOG = { kinds: words, text: word };

export type DeadlockSearch = Base & SearchOf<typeof DEADLOCK>;
export type LogSearch = Base & SearchOf<typeof LOG>;

export const deadlocksRoute = createRoute({
  getParentRoute: () => server,
  path: "deadlocks",
  ...own({}),
  staticData: {
    title: "Deadlocks",
    narrows: ["statement", "program", "user", "database", "client"],
    nav: { place: "Sessions", label: "deadlocks", key: "d" },
  },
  component: showing(
    lazyRouteComponent(() => import("./DeadlocksPage"), "DeadlocksPage"),
    () => ({ server: useServer().server, search: useView({}) }),
  ),
});

export const deadlockRoute = createRoute({
  getParentRoute: () => server,
  path: "deadlocks/$pattern",
  ...own(DEADLOCK),
  staticData: { title: "Deadlock pattern", place: "Sessions" },
  component: showing(
    lazyRouteComponent(() => import("./DeadlockPage"), "DeadlockPage"),
    () => ({
      ...useServer(),
      pattern: useParam("pattern"),
      search: useView(DEADLOCK),
      onSearch: useChange<DeadlockSearch>(),
    }),
  ),
});

export const logRoute = createRoute({
  getParentRoute: () => server,
  path: "events",
  ...own(LOG),
  staticData: {
    title: "Log",
    narrows: ["statement", "user", "database", "tables", "program", "client"],
    nav: { place: "Sessions", label: "log", key: "w", words: "the log" },
  },
  component: showing(
    lazyRouteComponent(() => import("./EventsPage"), "EventsPage"),
    () => ({ server: useServer().server, search: useView(LOG), onSearch: useChange<LogSearch>() }),
  ),
});
