import { useQuery } from "@tanstack/react-query";
import { Outlet } from "@tanstack/react-router";

import { serversQuery } from "../api/queries";
import { learnServerZone, zoneChoice } from "../lib/zone";

import { useParam, useView } from "./screen";
import { ServerFrame } from "./ServerFrame";

/** One server: its frame, and in it whatever view is shown. */
export const ServerScreen = () => {
  const server = useParam("server");
  const zone = useQuery({ ...serversQuery, meta: { againMs: false } }).data?.servers.find(
    (one) => String(one.id) === server,
  )?.zone;
  learnServerZone(zone); // before anything below tells a time
  return (
    <ServerFrame
      key={zoneChoice() === "server" ? `${server} ${zone ?? ""}` : server}
      server={Number(server)}
      search={useView({})}
    >
      <Outlet />
    </ServerFrame>
  );
};
