import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { inside } from "../../shell/routes";
import { own } from "../../shell/screen";

export const collectorsRoute = createRoute({
  getParentRoute: () => inside,
  path: "/collectors",
  ...own({}),
  staticData: { title: "Collectors", nav: { place: "", label: "Collectors", admin: true } },
  component: lazyRouteComponent(() => import("./CollectorsPage"), "CollectorsPage"),
});
