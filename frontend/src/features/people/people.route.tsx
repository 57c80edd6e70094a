import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { inside } from "../../shell/routes";
import { own, showing, useUsername } from "../../shell/screen";

export const peopleRoute = createRoute({
  getParentRoute: () => inside,
  path: "/people",
  ...own({}),
  staticData: { title: "People", nav: { place: "", label: "People", admin: true } },
  component: showing(
    lazyRouteComponent(() => import("./PeoplePage"), "PeoplePage"),
    () => ({ self: useUsername() }),
  ),
});

export const recordRoute = createRoute({
  getParentRoute: () => inside,
  path: "/record",
  ...own({}),
  staticData: { title: "Record", nav: { place: "", label: "Record", admin: true } },
  component: lazyRouteComponent(() => import("./RecordPage"), "RecordPage"),
});

export const accountRoute = createRoute({
  getParentRoute: () => inside,
  path: "/account",
  ...own({}),
  staticData: { title: "Your password" },
  component: lazyRouteComponent(() => import("./PasswordPage"), "PasswordPage"),
});
