import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { word, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useServer, useView } from "../../shell/screen";

const OWN = { database: word };
export type IndexesSearch = Base & SearchOf<typeof OWN>;

export const indexesRoute = createRoute({
  getParentRoute: () => server,
  path: "indexes",
  ...own(OWN),
  staticData: {
    title: "Indexes",
    narrows: ["statement", "user", "database", "tables"],
    nav: { place: "Statements", label: "indexes", key: "i" },
  },
  component: showing(
    lazyRouteComponent(() => import("./IndexesPage"), "IndexesPage"),
    () => ({ server: useServer().server, search: useView(OWN), onSearch: useChange<IndexesSearch>() }),
  ),
});
