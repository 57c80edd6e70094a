import { createRoute, lazyRouteComponent, useNavigate } from "@tanstack/react-router";

import { inside } from "../../shell/routes";
import { own, showing, useParam } from "../../shell/screen";

export const plansRoute = createRoute({
  getParentRoute: () => inside,
  path: "/plans",
  ...own({}),
  staticData: { title: "Plans", nav: { place: "", label: "Plans" } },
  component: showing(
    lazyRouteComponent(() => import("./BringPage"), "BringPage"),
    () => {
      const navigate = useNavigate();
      return { onPlan: (key: string) => void navigate({ to: "/plans/$key", params: { key } }) };
    },
  ),
});

export const planRoute = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key",
  ...own({}),
  staticData: { title: "Plan" },
  component: showing(
    lazyRouteComponent(() => import("./PlanPage"), "PlanPage"),
    () => {
      const planKey = useParam("key");
      const navigate = useNavigate();
      return {
        planKey,
        onAgainst: (other: string) =>
          void navigate({ to: "/plans/$key/against/$other", params: { key: planKey, other } }),
      };
    },
    () => useParam("key"),
  ),
});

export const plansComparedRoute = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key/against/$other",
  ...own({}),
  staticData: { title: "Two plans" },
  component: showing(
    lazyRouteComponent(() => import("./ComparePage"), "ComparePage"),
    () => {
      return { planKey: useParam("key"), other: useParam("other") };
    },
  ),
});
