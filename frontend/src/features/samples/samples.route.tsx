import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { ALL_DIMENSIONS } from "../../lib/dimensions";
import { server } from "../../shell/routes";
import { own, showing, useServer, useView } from "../../shell/screen";

export const samplesRoute = createRoute({
  getParentRoute: () => server,
  path: "samples",
  ...own({}),
  staticData: {
    title: "Raw samples",
    narrows: ALL_DIMENSIONS,
    nav: { place: "Load", label: "samples", key: "r", words: "raw samples" },
  },
  component: showing(
    lazyRouteComponent(() => import("./SamplesPage"), "SamplesPage"),
    () => ({ server: useServer().server, search: useView({}) }),
    () => JSON.stringify(useView({})),
  ),
});
