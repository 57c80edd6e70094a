import { createRoute, lazyRouteComponent, useNavigate } from "@tanstack/react-router";

import type { DimensionName } from "../../lib/dimensions";
import { word, words, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useServer, useView } from "../../shell/screen";

const OWN = { columns: words, wait: word, split: word, compare: word, under: word, by: word };
export type LoadSearch = Base & SearchOf<typeof OWN>;

const LoadPage = lazyRouteComponent(() => import("./LoadPage"), "LoadPage");

function useLoad() {
  const { server: id, role } = useServer();
  const navigate = useNavigate();
  return {
    server: id,
    search: useView(OWN),
    canMark: role !== "viewer",
    onSearch: useChange<LoadSearch>(),
    onOpen: (dimension: DimensionName, number: string) =>
      void (dimension === "endpoint"
        ? navigate({ to: "/servers/$server/endpoints/$endpoint", params: { server: String(id), endpoint: number } })
        : navigate({ to: "/servers/$server/statements/$query", params: { server: String(id), query: number } })),
  };
}

export const loadRoute = createRoute({
  getParentRoute: () => server,
  path: "load",
  ...own(OWN),
  staticData: { title: "Load", narrows: "itself", nav: { place: "Load", label: "over time", key: "l", words: "load" } },
  component: showing(LoadPage, () => ({ ...useLoad(), total: false })),
});

export const totalRoute = createRoute({
  getParentRoute: () => server,
  path: "load/total",
  ...own(OWN),
  staticData: {
    title: "Load in total",
    narrows: "itself",
    nav: { place: "Load", label: "in total", key: "a", words: "load in total" },
  },
  component: showing(LoadPage, () => ({ ...useLoad(), total: true })),
});
