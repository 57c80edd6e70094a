import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider, createMemoryHistory } from "@tanstack/react-router";
import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { sessionQuery } from "../api/queries";
import { makeRouter } from "./router";

beforeEach(() => {
  vi.stubGlobal("scrollTo", () => undefined);
  vi.stubGlobal("fetch", () => new Promise<Response>(() => undefined));
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

async function opened(at: string, session: { readonly role: string; readonly sees: readonly string[] }) {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  queries.setQueryData(sessionQuery.queryKey, {
    ...{ username: "ada", may_run: false, operates: [], csrf: "", version: "1", demo: false, sign_in_by: null },
    ...session,
  } as never);
  const router = makeRouter(queries);
  router.update({ history: createMemoryHistory({ initialEntries: [at] }) } as never);
  await router.load();
  render(
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  return screen.findByRole("banner");
}

describe("the strip on top", () => {
  it.each(["/", "/troubles", "/servers/3/load"])("says at %s which groups alone somebody sees", async (at) => {
    const strip = await opened(at, { role: "viewer", sees: ["north", "south"] });
    expect(strip.textContent).toContain("only north, south");
    expect(screen.getByTitle(/You see the servers of north, south alone/)).toBeTruthy();
  });

  it("says nothing of it to whoever sees all, and leads admins alone to people", async () => {
    const strip = await opened("/", { role: "viewer", sees: [] });
    expect(strip.textContent).not.toContain("only");
    expect(screen.queryByRole("link", { name: "People" })).toBeNull();
    cleanup();
    await opened("/", { role: "admin", sees: [] });
    expect(screen.getByRole("link", { name: "People" })).toBeTruthy();
  });
});
