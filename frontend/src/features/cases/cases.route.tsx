import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { type SearchOf, word } from "../../lib/search";
import type { Base } from "../../lib/view";
import { inside } from "../../shell/routes";
import { own, showing, useChange, useParam, useRole, useView } from "../../shell/screen";

const CASES = { cases: word };
export type CasesSearch = Base & SearchOf<typeof CASES>;

export const casesRoute = createRoute({
  getParentRoute: () => inside,
  path: "/cases",
  ...own(CASES),
  staticData: { title: "Cases", nav: { place: "", label: "Cases" } },
  component: showing(
    lazyRouteComponent(() => import("./CasesPage"), "CasesPage"),
    () => ({ role: useRole(), search: useView(CASES), onSearch: useChange<CasesSearch>() }),
  ),
});

export const caseRoute = createRoute({
  getParentRoute: () => inside,
  path: "/cases/$case",
  ...own({}),
  staticData: { title: "Case", place: "Cases" },
  component: showing(
    lazyRouteComponent(() => import("./CasePage"), "CasePage"),
    () => ({ id: Number(useParam("case")), role: useRole() }),
  ),
});
