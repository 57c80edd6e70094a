import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { type Reader, whole, word, words } from "../../lib/search";
import { CHANGE_KINDS } from "../../lib/words/change_kinds";
import { server } from "../../shell/routes";
import { own, showing, useChange, useServer, useView } from "../../shell/screen";

type Kind = keyof typeof CHANGE_KINDS;

const isKind = (one: string): one is Kind => one in CHANGE_KINDS;

const kindsOf: Reader<Kind[]> = (raw) => {
  const known = (words(raw) ?? []).filter(isKind);
  return known.length ? known : undefined;
};

const CHANGES = { changed: kindsOf, naming: word };
const COMPARE = { before: word, judged: word, followed: whole };

export type ChangesSearch = ReturnType<typeof useView<typeof CHANGES>>;
export type CompareSearch = ReturnType<typeof useView<typeof COMPARE>>;

export const changesRoute = createRoute({
  getParentRoute: () => server,
  path: "changes",
  ...own(CHANGES),
  staticData: { title: "Changes", nav: { place: "Leads", label: "changes", key: "h", words: "changes" } },
  component: showing(
    lazyRouteComponent(() => import("./ChangesPage"), "ChangesPage"),
    () => ({ ...useServer(), search: useView(CHANGES), onSearch: useChange<ChangesSearch>() }),
  ),
});

export const compareRoute = createRoute({
  getParentRoute: () => server,
  path: "compare",
  ...own(COMPARE),
  staticData: {
    title: "Before and after",
    nav: { place: "Leads", label: "before and after", key: "v", words: "before and after" },
  },
  component: showing(
    lazyRouteComponent(() => import("./ComparePage"), "ComparePage"),
    () => ({ server: useServer().server, search: useView(COMPARE), onSearch: useChange<CompareSearch>() }),
  ),
});
