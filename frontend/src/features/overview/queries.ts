import { queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

const EVERY_MS = 15_000;
const slower = (spec: WindowSpec): number | false => (refreshMs(spec) === false ? false : EVERY_MS);

/** The nodes of a group. */
export const groupQuery = (name: string, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["group", name, spec],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/groups/{name}", { params: { path: { name }, query: windowQuery(spec) }, signal })),
    meta: { againMs: slower(spec) },
    placeholderData: (old, query) => (query?.queryKey[1] === name ? old : undefined),
  });
