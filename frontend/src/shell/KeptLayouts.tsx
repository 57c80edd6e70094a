import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useMemo } from "react";

import { ask, client } from "../api/client";
import { layoutsQuery } from "../api/queries";
import { AS_IT_COMES, type Layout, LayoutsContext } from "../ui/table/layouts";

/** Keeps with each person how they want to see tables. What cannot be kept just now still holds on this page. */
export const KeptLayouts = ({ children }: { readonly children: ReactNode }) => {
  const queries = useQueryClient();
  const kept = useQuery(layoutsQuery).data;
  const layouts = useMemo(() => {
    const of = (table: string): Layout => kept?.find((one) => one.table === table) ?? AS_IT_COMES;
    const keep = (table: string, layout: Layout) => {
      const others = (queries.getQueryData(layoutsQuery.queryKey) ?? []).filter((one) => one.table !== table);
      const body = { hidden: [...layout.hidden], shown: [...layout.shown], widths: { ...layout.widths } };
      queries.setQueryData(layoutsQuery.queryKey, [...others, { table, ...body }]);
      void ask(client.PUT("/api/v1/layouts/{table}", { params: { path: { table } }, body })).catch(() => undefined);
    };
    return { of, keep };
  }, [kept, queries]);
  return <LayoutsContext value={layouts}>{children}</LayoutsContext>;
};
