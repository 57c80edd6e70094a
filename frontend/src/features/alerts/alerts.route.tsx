import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { type SearchOf, word } from "../../lib/search";
import type { Base } from "../../lib/view";
import { inside } from "../../shell/routes";
import { own, showing, useChange, useParam, useRole, useView } from "../../shell/screen";

const ALERTS = { became: word };
export type AlertsSearch = Base & SearchOf<typeof ALERTS>;

export const alertsRoute = createRoute({
  getParentRoute: () => inside,
  path: "/alerts",
  ...own(ALERTS),
  staticData: { title: "Alerts", nav: { place: "", label: "Alerts" } },
  component: showing(
    lazyRouteComponent(() => import("./AlertsPage"), "AlertsPage"),
    () => ({ search: useView(ALERTS), onSearch: useChange<AlertsSearch>() }),
  ),
});

const TROUBLES = { troubles: word, among: word };
export type TroublesSearch = Base & SearchOf<typeof TROUBLES>;

export const troublesRoute = createRoute({
  getParentRoute: () => inside,
  path: "/troubles",
  ...own(TROUBLES),
  staticData: { title: "Troubles", place: "Alerts" },
  component: showing(
    lazyRouteComponent(() => import("./TroublesPage"), "TroublesPage"),
    () => ({ search: useView(TROUBLES), onSearch: useChange<TroublesSearch>() }),
  ),
});

export const alertRoute = createRoute({
  getParentRoute: () => inside,
  path: "/alerts/$alert",
  ...own({}),
  staticData: { title: "Alert", place: "Alerts" },
  component: showing(
    lazyRouteComponent(() => import("./AlertPage"), "AlertPage"),
    () => ({ id: Number(useParam("alert")), role: useRole() }),
  ),
});

export const conditionsRoute = createRoute({
  getParentRoute: () => inside,
  path: "/conditions",
  ...own({}),
  staticData: { title: "Conditions of alerts", place: "Alerts" },
  component: showing(
    lazyRouteComponent(() => import("./ConditionsPage"), "ConditionsPage"),
    () => ({ role: useRole() }),
  ),
});
