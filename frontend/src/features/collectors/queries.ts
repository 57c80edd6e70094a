import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { ask, client } from "../../api/client";

export const collectorsQuery = queryOptions({
  queryKey: ["collectors"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/collectors", { signal })),
  meta: { againMs: 2000 },
  placeholderData: keepPreviousData,
});
