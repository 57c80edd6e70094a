import { createRoute, lazyRouteComponent, useNavigate } from "@tanstack/react-router";

import { inside, server } from "../../shell/routes";
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

// A plan stands by itself under its link, and inside the frame of the server that it was opened from.
const Plan = showing(
  lazyRouteComponent(() => import("./PlanPage"), "PlanPage"),
  () => {
    const [planKey, of] = [useParam("key"), useParam("server")];
    const navigate = useNavigate();
    return {
      planKey,
      onAgainst: (other: string) =>
        of
          ? void navigate({
              to: "/servers/$server/plans/$key/against/$other",
              params: { server: of, key: planKey, other },
            })
          : void navigate({ to: "/plans/$key/against/$other", params: { key: planKey, other } }),
    };
  },
);

const Compared = showing(
  lazyRouteComponent(() => import("./ComparePage"), "ComparePage"),
  () => ({ planKey: useParam("key"), other: useParam("other"), server: useParam("server") }),
);

export const planRoute = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key",
  ...own({}),
  staticData: { title: "Plan", place: "Plans" },
  component: Plan,
});

export const plansComparedRoute = createRoute({
  getParentRoute: () => inside,
  path: "/plans/$key/against/$other",
  ...own({}),
  staticData: { title: "Two plans", place: "Plans" },
  component: Compared,
});

export const serverPlanRoute = createRoute({
  getParentRoute: () => server,
  path: "plans/$key",
  ...own({}),
  staticData: { title: "Plan", place: "Statements" },
  component: Plan,
});

export const serverPlansComparedRoute = createRoute({
  getParentRoute: () => server,
  path: "plans/$key/against/$other",
  ...own({}),
  staticData: { title: "Two plans", place: "Statements" },
  component: Compared,
});
