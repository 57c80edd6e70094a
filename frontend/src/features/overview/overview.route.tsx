import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import type { WindowSpec } from "../../lib/view";
import { OverviewFrame } from "../../shell/OverviewFrame";
import { inside } from "../../shell/routes";
import { own, preloading, useParam, useView } from "../../shell/screen";

const HOUR: WindowSpec = { last: 3600 };

const GroupPage = lazyRouteComponent(() => import("./GroupPage"), "GroupPage");

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
        <GroupPage key={name} name={name} search={{ ...HOUR, ...search }} />
      </OverviewFrame>
    );
  }, preloading(GroupPage)),
});
