import { Outlet } from "@tanstack/react-router";

import { useParam, useView } from "./screen";
import { ServerFrame } from "./ServerFrame";

/** One server: its frame, and in it whatever view is shown. */
export const ServerScreen = () => {
  const server = useParam("server");
  return (
    <ServerFrame key={server} server={Number(server)} search={useView({})}>
      <Outlet />
    </ServerFrame>
  );
};
