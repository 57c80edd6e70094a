import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { server } from "../../shell/routes";
import { own, showing, useServer, useView } from "../../shell/screen";

const LEADS = {};

export const leadsRoute = createRoute({
  getParentRoute: () => server,
  path: "leads",
  ...own(LEADS),
  staticData: { title: "Leads", nav: { place: "Leads", label: "in this window", key: "f", words: "leads" } },
  component: showing(
    lazyRouteComponent(() => import("./LeadsPage"), "LeadsPage"),
    () => ({ server: useServer().server, search: useView(LEADS) }),
  ),
});
