import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { inside, server } from "../../shell/routes";
import { own, showing, useRole, useServer } from "../../shell/screen";

export const serversRoute = createRoute({
  getParentRoute: () => inside,
  path: "/",
  ...own({}),
  staticData: { title: "Servers", nav: { place: "", label: "Servers" } },
  component: showing(
    lazyRouteComponent(() => import("./ServersPage"), "ServersPage"),
    () => ({ canConnect: useRole() === "admin" }),
  ),
});

export const settingsRoute = createRoute({
  getParentRoute: () => server,
  path: "settings",
  ...own({}),
  staticData: { title: "Settings", nav: { place: "Settings", label: "settings", key: "t" } },
  component: showing(
    lazyRouteComponent(() => import("./SettingsPage"), "SettingsPage"),
    useServer,
  ),
});
