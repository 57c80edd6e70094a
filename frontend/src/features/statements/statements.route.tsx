import { createRoute, lazyRouteComponent, useNavigate } from "@tanstack/react-router";

import { ALL_DIMENSIONS } from "../../lib/dimensions";
import { word, words, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useParam, useServer, useView } from "../../shell/screen";

export const RANKING = { sort: word, containing: word, where: words, tools: word, starred: word };
const EXECUTIONS = { only: words, region: word, rows: word, cells: word, measure: word, aggregate: word, drawn: word };
const SPLIT = { against: word, other: word };
const STATEMENT = { only: words, region: word };

export type RankingSearch = Base & SearchOf<typeof RANKING>;
export type ExecutionsSearch = Base & SearchOf<typeof EXECUTIONS>;
export type SplitSearch = Base & SearchOf<typeof SPLIT>;
export type StatementSearch = Base & SearchOf<typeof STATEMENT>;

export const rankingRoute = createRoute({
  getParentRoute: () => server,
  path: "statements",
  ...own(RANKING),
  staticData: {
    title: "Statements",
    narrows: ["statement", "user", "database", "tables"],
    nav: { place: "Statements", label: "ranking", key: "s", words: "statements" },
  },
  component: showing(
    lazyRouteComponent(() => import("./RankingPage"), "RankingPage"),
    () => ({
      server: useServer().server,
      search: useView(RANKING),
      onSearch: useChange<RankingSearch>(),
    }),
  ),
});

export const executionsRoute = createRoute({
  getParentRoute: () => server,
  path: "executions",
  ...own(EXECUTIONS),
  staticData: {
    title: "Executions",
    narrows: ["statement", "user", "database", "tables", "program", "client"],
    nav: { place: "Statements", label: "executions", key: "e" },
  },
  component: showing(
    lazyRouteComponent(() => import("./ExecutionsPage"), "ExecutionsPage"),
    () => ({
      server: useServer().server,
      search: useView(EXECUTIONS),
      onSearch: useChange<ExecutionsSearch>(),
    }),
  ),
});

export const splitRoute = createRoute({
  getParentRoute: () => server,
  path: "split",
  ...own(SPLIT),
  staticData: {
    title: "Why it changed",
    narrows: ["statement", "user", "database", "tables"],
    nav: { place: "Statements", label: "why it changed", key: "c" },
  },
  component: showing(
    lazyRouteComponent(() => import("./SplitPage"), "SplitPage"),
    () => ({ server: useServer().server, search: useView(SPLIT), onSearch: useChange<SplitSearch>() }),
  ),
});

export const statementRoute = createRoute({
  getParentRoute: () => server,
  path: "statements/$query",
  ...own(STATEMENT),
  staticData: { title: "Statement", place: "Statements", narrows: ALL_DIMENSIONS },
  component: showing(
    lazyRouteComponent(() => import("./StatementPage"), "StatementPage"),
    () => {
      const { server: id, role } = useServer();
      const query = useParam("query");
      const navigate = useNavigate();
      const mine = `statement:${query}`;
      return {
        server: id,
        query,
        role,
        search: useView(STATEMENT),
        onSearch: useChange<StatementSearch>(),
        onPick: (text: string) =>
          void navigate({
            to: "/servers/$server/load",
            params: { server: String(id) },
            search: { pick: text === mine ? [mine] : [mine, text] },
          }),
      };
    },
  ),
});
