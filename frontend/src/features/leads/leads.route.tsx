import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { server } from "../../shell/routes";
import { word } from "../../lib/search";
import { own, showing, useChange, useServer, useView } from "../../shell/screen";

const LEADS = {};
const HISTORY = { state: word };

export const leadsRoute = createRoute({
  getParentRoute: () => server,
  path: "leads",
  ...own(LEADS),
  staticData: { title: "Leads", nav: { place: "Leads", label: "in this window", key: "f", words: "leads" } },
  component: showing(
    lazyRouteComponent(() => import("./LeadsPage"), "LeadsPage"),
    () => ({ ...useServer(), search: useView(LEADS) }),
  ),
});

export type HistorySearch = ReturnType<typeof useView<typeof HISTORY>>;

export const historyRoute = createRoute({
  getParentRoute: () => server,
  path: "leads/history",
  ...own(HISTORY),
  staticData: {
    title: "History of leads",
    nav: { place: "Leads", label: "history", key: "y", words: "leads of the past" },
  },
  component: showing(
    lazyRouteComponent(() => import("./HistoryPage"), "HistoryPage"),
    () => ({ ...useServer(), search: useView(HISTORY), onSearch: useChange<HistorySearch>() }),
  ),
});
