import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { word, type SearchOf } from "../../lib/search";
import { type Base, type WindowSpec } from "../../lib/view";
import { OverviewFrame } from "../../shell/OverviewFrame";
import { inside } from "../../shell/routes";
import { own, preloading, useChange, useParam, useView } from "../../shell/screen";

const HOUR: WindowSpec = { last: 3600 };

const INDICATORS = { figure: word };
export type IndicatorsSearch = Base & SearchOf<typeof INDICATORS>;

const GroupPage = lazyRouteComponent(() => import("./GroupPage"), "GroupPage");
const IndicatorsPage = lazyRouteComponent(() => import("./IndicatorsPage"), "IndicatorsPage");

export const groupRoute = createRoute({
  getParentRoute: () => inside,
  path: "/groups/$group",
  ...own({}),
  staticData: { title: "Group" },
  component: Object.assign(function Group() {
    const name = useParam("group");
    const search = useView({});
    return (
      <OverviewFrame title={`Group ${name}`} search={search} usual={HOUR}>
        <GroupPage name={name} search={{ ...HOUR, ...search }} />
      </OverviewFrame>
    );
  }, preloading(GroupPage)),
});

export const indicatorsRoute = createRoute({
  getParentRoute: () => inside,
  path: "/indicators",
  ...own(INDICATORS),
  staticData: { title: "Indicators", nav: { place: "", label: "Indicators" } },
  component: Object.assign(function Indicators() {
    const search = useView(INDICATORS);
    return (
      <OverviewFrame title="Indicators" search={search} usual={HOUR}>
        <IndicatorsPage search={search} onSearch={useChange<IndicatorsSearch>()} />
      </OverviewFrame>
    );
  }, preloading(IndicatorsPage)),
});
