import { QueryClient } from "@tanstack/react-query";
import { createMemoryHistory } from "@tanstack/react-router";
import { beforeAll, describe, expect, it, vi } from "vitest";

import { sessionQuery } from "../api/queries";
import { makeRouter } from "./router";

/** A router of somebody who is signed in; its pages are not drawn, so nothing is asked. */
function routed(at: string) {
  const queries = new QueryClient();
  queries.setQueryData(sessionQuery.queryKey, {
    username: "ada",
    role: "admin",
    csrf: "",
    demo: false,
  } as never);
  const router = makeRouter(queries);
  router.update({ history: createMemoryHistory({ initialEntries: [at] }) } as never);
  return router;
}

/** The names of the parameters that a route reads. */
function namesRead(validate: unknown): string[] {
  const names: string[] = [];
  const spy = new Proxy({}, { get: (_, name) => void names.push(String(name)) });
  (validate as (raw: unknown) => unknown)(spy);
  return names;
}

// Of executions, of all statements or of one; of requests, whatever is listed of them: the same meaning.
const SHARED = ["only", "region", "service", "version", "host", "attribute"];

describe("the screens", () => {
  beforeAll(() => {
    vi.stubGlobal("scrollTo", () => undefined);
  });

  it("keep the window and the trail, and leave their own parameters behind", async () => {
    const router = routed("/servers/3/statements?from=1000&to=9000&pick=program%3Aa&sort=calls&containing=berth&odd=1");
    await router.load();
    const at = () => new URLSearchParams(router.state.location.searchStr).toString();
    expect(at()).toContain("sort=calls&containing=berth");
    const params = { server: "3" };
    await router.navigate({ to: "/servers/$server/events", params });
    expect(at()).toBe("pick=program%3Aa&from=1000&to=9000");
    await router.navigate({ to: "/servers/$server/events", params, search: { last: 60, kinds: ["deadlock"] } });
    expect(at()).toBe("kinds=deadlock&pick=program%3Aa&last=60");
    await router.navigate({ to: "/servers/$server/executions", params });
    expect(at()).toBe("pick=program%3Aa&last=60");
    await router.navigate({ to: "/servers/$server/load", params: { server: "4" }, search: { pick: [] } });
    expect(at()).toBe("last=60");
  });

  it("share no parameter that would mean something else on another of them", () => {
    const seen = new Map<string, string>();
    for (const route of Object.values(routed("/").routesById) as {
      fullPath: string;
      options: { validateSearch?: unknown };
    }[]) {
      if (!route.fullPath.startsWith("/servers/$server/")) continue;
      const place = route.fullPath.replace(/\/(window|total)$/, ""); // one screen in two views
      for (const name of namesRead(route.options.validateSearch)) {
        if (!SHARED.includes(name)) expect(seen.get(name) ?? place, name).toBe(place);
        seen.set(name, place);
      }
    }
    expect(seen.size).toBeGreaterThan(20);
  });

  it("have a title each, and keys of their own", () => {
    const routes = Object.values(routed("/").routesById) as {
      fullPath: string;
      options: { component?: unknown; staticData?: { title?: string; nav?: { key?: string } } };
    }[];
    const screens = routes.filter((one) => one.options.staticData);
    expect(screens.length).toBeGreaterThan(25);
    expect(screens.filter((one) => !one.options.staticData?.title).map((one) => one.fullPath)).toEqual([]);
    const keys = screens.flatMap((one) => one.options.staticData?.nav?.key ?? []);
    expect(new Set(keys).size).toBe(keys.length);
  });
});
