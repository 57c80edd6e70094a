import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { server } from "../../shell/routes";
import { own, showing, useServer, useView } from "../../shell/screen";

export const machineRoute = createRoute({
  getParentRoute: () => server,
  path: "machine",
  ...own({}),
  staticData: {
    title: "Machine",
    nav: { place: "Machine", label: "machine, disk and tables", key: "m", words: "machine" },
  },
  component: showing(
    lazyRouteComponent(() => import("./MachinePage"), "MachinePage"),
    () => ({ server: useServer().server, search: useView({}) }),
  ),
});
