import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider, createMemoryHistory } from "@tanstack/react-router";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { sessionQuery } from "../api/queries";
import { makeRouter } from "./router";

const SCREENS = [
  "/",
  "/alerts",
  "/alerts/4",
  "/conditions",
  "/troubles",
  "/cases",
  "/cases/4",
  "/plans",
  "/plans/abc",
  "/plans/abc/against/def",
  "/groups/bookings",
  "/people",
  "/record",
  "/collectors",
  "/tokens",
  "/reference",
  ...[
    "load",
    "load/total",
    "samples",
    "statements",
    "executions",
    "split",
    "indexes",
    "statements/7",
    "sessions",
    "sessions/window",
    "sessions/4411",
    "blocking",
    "deadlocks",
    "deadlocks/abc",
    "events",
    "endpoints",
    "endpoints/4",
    "repeated",
    "calls",
    "requests/5b8efff798038103d269b633813fc60c",
    "machine",
    "plans/abc",
    "plans/abc/against/def",
    "settings",
  ].map((view) => `/servers/3/${view}`),
];

/** Words that claim something about a server; none of them may stand where nobody was asked. */
const CLAIMS =
  /\b(nobody|nothing (was|is|to)|none yet|no (session|statement|deadlock|execution|wait|index|server|row|plan|machine|entr|request|endpoint|call)\w*|not sampled|0 (sessions|statements))\b/i;

const WAYS: Record<string, () => Promise<Response>> = {
  "is offline": () => Promise.reject(new TypeError("Failed to fetch")),
  "has no store": () => Promise.resolve(problem(503, "The store is away")),
  refuses: () => Promise.resolve(problem(403, "Not allowed")),
  "is cut off": () => Promise.resolve(new Response('{"rows": [', { status: 200, headers: JSON_TYPE })),
};
const JSON_TYPE = { "Content-Type": "application/json" };
const problem = (status: number, title: string) =>
  new Response(JSON.stringify({ title, detail: "said so", type: "urn:faena:test" }), { status, headers: JSON_TYPE });

async function opened(at: string, answer: () => Promise<Response>): Promise<void> {
  vi.stubGlobal("scrollTo", () => undefined);
  vi.stubGlobal("fetch", vi.fn(answer));
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, networkMode: "always" } } });
  queries.setQueryData(sessionQuery.queryKey, { username: "ada", role: "admin", csrf: "", demo: false } as never);
  const router = makeRouter(queries);
  router.update({ history: createMemoryHistory({ initialEntries: [at] }) } as never);
  await router.load();
  render(
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
}

const alerts = () => screen.getAllByRole("alert").map((alert) => alert.textContent);

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe.each(SCREENS)("%s", (at) => {
  it.each(Object.keys(WAYS))("says so when the API %s, and claims nothing", async (way) => {
    await opened(at, WAYS[way] as () => Promise<Response>);
    await waitFor(() => expect(screen.queryAllByRole("alert").length).toBeGreaterThan(0), { timeout: 3000 });
    await waitFor(() => expect(screen.getByRole("main").textContent).not.toMatch(/Reading /), { timeout: 3000 });
    const main = screen.getByRole("main");
    expect(new Set(alerts()).size, "each cause is told once").toBe(alerts().length);
    expect(main.textContent).not.toMatch(CLAIMS);
  });

  it("waits without claiming anything", async () => {
    await opened(at, () => new Promise<Response>(() => undefined));
    await waitFor(() => expect(screen.getByRole("main").textContent).toMatch(/Reading |…/), { timeout: 3000 });
    expect(screen.getByRole("main").textContent).not.toMatch(CLAIMS);
  });
});
