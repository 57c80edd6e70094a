import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { type SearchOf, word } from "../../lib/search";
import type { Base } from "../../lib/view";
import { inside } from "../../shell/routes";
import { own, showing, useChange, useRole, useView } from "../../shell/screen";

export const tokensRoute = createRoute({
  getParentRoute: () => inside,
  path: "/tokens",
  ...own({}),
  staticData: { title: "API tokens" },
  component: showing(
    lazyRouteComponent(() => import("./TokensPage"), "TokensPage"),
    () => ({ role: useRole() }),
  ),
});

const REFERENCE = { operations: word };
export type ReferenceSearch = Base & SearchOf<typeof REFERENCE>;

export const referenceRoute = createRoute({
  getParentRoute: () => inside,
  path: "/reference",
  ...own(REFERENCE),
  staticData: { title: "API reference" },
  component: showing(
    lazyRouteComponent(() => import("./ReferencePage"), "ReferencePage"),
    () => ({ search: useView(REFERENCE), onSearch: useChange<ReferenceSearch>() }),
  ),
});
