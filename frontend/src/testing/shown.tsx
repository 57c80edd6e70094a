// For tests of components: inside a router that goes nowhere, with answers that are there already.
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import {
  type ErrorRouteComponent,
  RouterProvider,
  createMemoryHistory,
  createRootRoute,
  createRouter,
} from "@tanstack/react-router";
import { type RenderResult, render } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach } from "vitest";

import { startBeat } from "../api/beat";

const stops: (() => void)[] = [];
afterEach(() => {
  for (const stop of stops.splice(0)) stop();
});

type Answer = readonly [key: readonly unknown[], data: unknown];

/**
 * Renders once the router is ready. `answers` stand in the cache as if the server had given them just now; `broken` is
 * what the router shows in place of an element that throws.
 */
export async function shown(
  element: ReactNode,
  answers: readonly Answer[] = [],
  broken?: ErrorRouteComponent,
): Promise<RenderResult> {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  for (const [key, data] of answers) queries.setQueryData(key, data);
  const router = createRouter({
    routeTree: createRootRoute({ component: () => element }),
    history: createMemoryHistory({ initialEntries: ["/"] }),
    ...(broken ? { defaultErrorComponent: broken } : {}),
  });
  await router.load();
  stops.push(startBeat(queries));
  return render(
    <QueryClientProvider client={queries}>
      <RouterProvider router={router as never} />
    </QueryClientProvider>,
  );
}
