import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";

import { ask, client } from "../api/client";
import { layoutsQuery } from "../api/queries";
import { AS_IT_COMES, type Layout, LayoutsContext } from "../ui/table/layouts";

/** Keeps with each person how they want to see tables. What cannot be kept just now still holds on this page. */
export const KeptLayouts = ({ children }: { readonly children: ReactNode }) => {
  const kept = useQuery(layoutsQuery).data;
  // In React's own state and not in the query: an answer asked for before the wish must not take it back.
  const [wished, setWished] = useState<ReadonlyMap<string, Layout>>(new Map());
  const layouts = useMemo(() => {
    const of = (table: string): Layout => wished.get(table) ?? kept?.find((one) => one.table === table) ?? AS_IT_COMES;
    const keep = (table: string, layout: Layout) => {
      setWished((before) => new Map(before).set(table, layout));
      const body = { hidden: [...layout.hidden], shown: [...layout.shown], widths: { ...layout.widths } };
      void ask(client.PUT("/api/v1/layouts/{table}", { params: { path: { table } }, body })).catch(() => undefined);
    };
    return { of, keep };
  }, [kept, wished]);
  return <LayoutsContext value={layouts}>{children}</LayoutsContext>;
};
