import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { inside, server } from "../../shell/routes";
import { type SearchOf, word } from "../../lib/search";
import { type Base, DEFAULT_LAST_S, type WindowSpec } from "../../lib/view";
import { OverviewFrame } from "../../shell/OverviewFrame";
import { own, preloading, showing, useChange, useRole, useServer, useView } from "../../shell/screen";

const SERVERS = { figure: word, order: word };
export type ServersSearch = Base & SearchOf<typeof SERVERS>;

const QUARTER: WindowSpec = { last: DEFAULT_LAST_S };
const ServersPage = lazyRouteComponent(() => import("./ServersPage"), "ServersPage");

export const serversRoute = createRoute({
  getParentRoute: () => inside,
  path: "/",
  ...own(SERVERS),
  staticData: { title: "Servers", nav: { place: "", label: "Servers" } },
  component: Object.assign(function Servers() {
    const search = useView(SERVERS);
    return (
      <OverviewFrame title="Servers" search={search} usual={QUARTER}>
        <ServersPage canConnect={useRole() === "admin"} search={search} onSearch={useChange<ServersSearch>()} />
      </OverviewFrame>
    );
  }, preloading(ServersPage)),
});

export const settingsRoute = createRoute({
  getParentRoute: () => server,
  path: "settings",
  ...own({}),
  staticData: { title: "Settings", nav: { place: "Settings", label: "settings", key: "t" } },
  component: showing(
    lazyRouteComponent(() => import("./SettingsPage"), "SettingsPage"),
    useServer,
  ),
});
