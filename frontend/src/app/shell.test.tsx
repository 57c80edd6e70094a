import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider, createMemoryHistory } from "@tanstack/react-router";
import { act, cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { type CasePage, caseQuery } from "../api/cases";
import { serversQuery, sessionQuery } from "../api/queries";
import { viewsOf } from "../shell/places";
import { makeRouter } from "./router";

async function opened(
  at: string,
  role = "operator",
  sees: readonly string[] = [],
  known: readonly (readonly [readonly unknown[], unknown])[] = [],
) {
  vi.stubGlobal("scrollTo", () => undefined);
  vi.stubGlobal(
    "fetch",
    vi.fn(() => new Promise<Response>(() => undefined)),
  );
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  queries.setQueryData(sessionQuery.queryKey, {
    username: "ada",
    role,
    sees,
    operates: [],
    csrf: "",
    demo: false,
  } as never);
  const servers = [
    { id: 3, name: "harbour" },
    { id: 4, name: "pier" },
  ];
  queries.setQueryData(serversQuery.queryKey, { servers } as never);
  for (const [key, data] of known) queries.setQueryData(key, data);
  const router = makeRouter(queries);
  const history = createMemoryHistory({ initialEntries: [at] });
  router.update({ history } as never);
  await router.load();
  render(
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  return Object.assign(() => `${router.state.location.pathname}${router.state.location.searchStr}`, {
    visit: (address: string) => history.push(address),
  });
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const VIEWS = viewsOf(Object.values(makeRouter(new QueryClient()).routesById)).filter((one) => one.key);

describe("around every view", () => {
  it.each(["/", "/troubles", "/servers/3/load"])("are the groups that somebody sees alone: at %s", async (at) => {
    await opened(at, "viewer", ["north", "south"]);
    expect(screen.getByRole("banner").textContent).toContain("only north, south");
    expect(screen.getByTitle(/You see the servers of north, south alone/)).toBeTruthy();
  });

  it("is nothing of groups for whoever sees all, and people for admins alone", async () => {
    await opened("/", "viewer");
    expect(screen.getByRole("banner").textContent).not.toContain("only");
    expect(screen.queryByRole("link", { name: "People" })).toBeNull();
    cleanup();
    await opened("/", "admin");
    expect(screen.getByRole("link", { name: "People" })).toBeTruthy();
  });

  it("are the places of a server, the views of the one shown, and a title", async () => {
    await opened("/servers/3/blocking?last=600");
    const places = screen.getByRole("navigation", { name: "Places" });
    expect(
      within(places)
        .getAllByRole("link")
        .map((one) => one.textContent),
    ).toEqual(["Leads", "Load", "Statements", "Sessions", "Requests", "Machine", "Settings"]);
    expect(within(places).getByRole("link", { name: "Sessions" }).getAttribute("aria-current")).toBe("page");
    const views = screen.getByRole("navigation", { name: "Views of Sessions" });
    expect(within(views).getByRole("link", { name: "blocking" }).getAttribute("aria-current")).toBe("page");
    expect(within(views).getByRole("link", { name: "deadlocks" }).getAttribute("href")).toBe(
      "/servers/3/deadlocks?last=600",
    );
    await waitFor(() => expect(document.title).toBe("Blocking · harbour · faena"));
    expect(screen.getByRole("link", { name: "to the content" }).getAttribute("href")).toBe("#content");
  });

  it("is the choice of server, which keeps the view and the window and drops the trail", async () => {
    const at = await opened("/servers/3/blocking?last=600&pick=program%3Aa&root=7-5-1");
    await userEvent.click(await screen.findByRole("button", { name: "server: harbour" }));
    await userEvent.click(screen.getByRole("option", { name: "pier" }));
    await waitFor(() => expect(at()).toBe("/servers/4/blocking?last=600"));
  });

  it.each(VIEWS)("lead g and $key to $title, with the window", async ({ key = "", to }) => {
    const at = await opened("/servers/3/load?last=600");
    fireEvent.keyDown(document.body, { key: "g" });
    fireEvent.keyDown(document.body, { key });
    await waitFor(() => expect(at()).toBe(`${to.replace("$server", "3")}?last=600`));
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  it("lead a letter nowhere without a g, or long after it", async () => {
    const at = await opened("/servers/3/load?last=600");
    const press = (key: string, ms: number) => {
      const event = new KeyboardEvent("keydown", { key, bubbles: true });
      Object.defineProperty(event, "timeStamp", { value: ms });
      fireEvent(document.body, event);
    };
    press("s", 500);
    press("g", 1000);
    press("d", 3100);
    await new Promise((done) => setTimeout(done, 50));
    expect(at()).toBe("/servers/3/load?last=600");
    press("g", 4000);
    press("d", 5900);
    await waitFor(() => expect(at()).toBe("/servers/3/deadlocks?last=600"));
  });

  it("is a change that is noted with h, where no g came before it", async () => {
    const at = await opened("/servers/3/load?last=600");
    fireEvent.keyDown(document.body, { key: "h" });
    expect(await screen.findByRole("dialog")).toBeTruthy();
    expect(at()).toBe("/servers/3/load?last=600");
  });

  it("are what admins look after, for admins alone", async () => {
    await opened("/plans", "viewer");
    expect(screen.queryByRole("link", { name: "People" })).toBeNull();
    cleanup();
    await opened("/plans", "admin");
    expect(screen.getByRole("link", { name: "People" })).toBeTruthy();
  });

  it("says that one is still signed in when signing out failed", async () => {
    const at = await opened("/plans");
    vi.stubGlobal(
      "fetch",
      vi.fn(() => Promise.reject(new TypeError("Failed to fetch"))),
    );
    await userEvent.click(screen.getByRole("button", { name: "signed in as ada, operator" }));
    await userEvent.click(screen.getByRole("menuitem", { name: /^sign out/ }));
    expect(await screen.findByText("You are still signed in")).toBeTruthy();
    expect(at()).toBe("/plans");
  });
});

describe("what is being written of one case", () => {
  const page = (id: number): CasePage => ({
    case: {
      ...{ id, title: `Case ${id}`, state: "open", conclusion: "", people: [], made: 1, by: "ada" },
      ...{ changed: 1, address: "", links: [], evidence: 0, comments: 0 },
    },
    ...{ conclusion_html: "", evidence: [], comments: [] },
  });

  it("does not stand on the next", async () => {
    const known = [4, 5].map((id) => [caseQuery(id).queryKey, page(id)] as const);
    const at = await opened("/cases/4", "operator", [], known);
    await userEvent.click(await screen.findByRole("button", { name: "write a conclusion" }));
    await userEvent.type(screen.getByLabelText("conclusion, in Markdown"), "the console was left open");
    act(() => at.visit("/cases/5"));
    await screen.findByRole("heading", { level: 1, name: "Case 5" });
    expect(screen.queryByLabelText("conclusion, in Markdown")).toBeNull();
  });
});
