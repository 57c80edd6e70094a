import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { ALL_DIMENSIONS } from "../../lib/dimensions";
import { word, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useServer, useView } from "../../shell/screen";

const BLOCKING = { root: word, at: word };

export type BlockingSearch = Base & SearchOf<typeof BLOCKING>;

export const blockingRoute = createRoute({
  getParentRoute: () => server,
  path: "blocking",
  ...own(BLOCKING),
  staticData: { title: "Blocking", narrows: ALL_DIMENSIONS, nav: { place: "Sessions", label: "blocking", key: "b" } },
  component: showing(
    lazyRouteComponent(() => import("./BlockingPage"), "BlockingPage"),
    () => ({ server: useServer().server, search: useView(BLOCKING), onSearch: useChange<BlockingSearch>() }),
  ),
});
