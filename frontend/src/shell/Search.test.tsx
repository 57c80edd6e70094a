import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../api/client";
import { shown } from "../testing/shown";
import { Search } from "./Search";

const AT = 1_790_000_000_000;
const asked: string[] = [];
const urls: string[] = [];
const answers = (found: Record<string, Schemas["HitOut"][]>, delayMs = 0, times = {}) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(async (request: Request) => {
      const words = new URL(request.url).searchParams.get("words") ?? "";
      asked.push(words);
      urls.push(request.url);
      await new Promise((done) => setTimeout(done, delayMs));
      return new Response(
        JSON.stringify({ hits: found[words] ?? [], more: false, since: null, until: null, ...times }),
        {
          headers: { "Content-Type": "application/json" },
        },
      );
    }),
  );
type Hit = Schemas["HitOut"];
const one = (kind: Hit["kind"], value: string, label: string, more: Partial<Hit> = {}): Hit => ({
  ...{ kind, kind_label: kind, value, label, server: 3, server_name: "pier-1", at: null, ms: null },
  ...more,
});
const statement = (value: string, label: string): Hit => one("statement", value, label, { ms: 1500 });

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  asked.length = 0;
  urls.length = 0;
});

describe("search", () => {
  it("asks once the words stand, and lists what contains them by kind", async () => {
    answers({
      berth: [one("program", "berth-plan", "berth-plan"), statement("7", "SELECT berth")],
    });
    await shown(<Search server={3} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "berth");
    expect(await screen.findByRole("button", { name: /statement ?SELECT berth ?1\.5 s in the last day/ })).toBeTruthy();
    expect(screen.getByRole("button", { name: /program ?berth-plan/ })).toBeTruthy();
    expect(asked).toEqual(["berth"]);
  });

  it("is walked by arrows from the words through what was found, and back", async () => {
    answers({ berth: [one("program", "berth-plan", "berth-plan"), statement("7", "SELECT berth")] });
    const onClose = vi.fn();
    await shown(<Search server={3} open onClose={onClose} />);
    const words = screen.getByRole("searchbox");
    await userEvent.type(words, "berth");
    const program = await screen.findByRole("button", { name: /program/ });
    await userEvent.keyboard("{ArrowDown}");
    expect(document.activeElement).toBe(program);
    await userEvent.keyboard("{ArrowDown}{ArrowDown}");
    expect(document.activeElement?.textContent).toContain("SELECT berth");
    await userEvent.keyboard("{ArrowUp}{ArrowUp}");
    expect(document.activeElement).toBe(words);
    await userEvent.keyboard("{ArrowDown}{ArrowDown}{Enter}");
    expect(onClose).toHaveBeenCalledTimes(1);
  });

  it("finds endpoints by their name and a request by its trace, and closes when one is opened", async () => {
    const trace = "0af7651916cd43dd8448eb211c80319c";
    answers({
      berths: [one("endpoint", "4", "berth-web GET /berths/{id}")],
      [trace]: [one("trace", trace, `the request of trace ${trace}`)],
    });
    const onClose = vi.fn();
    await shown(<Search server={3} open onClose={onClose} />);
    await userEvent.type(screen.getByRole("searchbox"), "berths");
    await userEvent.click(await screen.findByRole("button", { name: /endpoint ?berth-web GET/ }));
    expect(onClose).toHaveBeenCalledOnce();
    await userEvent.clear(screen.getByRole("searchbox"));
    await userEvent.type(screen.getByRole("searchbox"), trace);
    expect(await screen.findByRole("button", { name: /trace ?the request of trace 0af7/ })).toBeTruthy();
  });

  it("says what a statement took in the time that was asked for", async () => {
    answers({ "berth since:3d": [statement("7", "SELECT berth")] }, 0, { since: AT, until: AT + 900_000 });
    await shown(<Search server={3} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "berth since:3d");
    await userEvent.click(await screen.findByRole("button", { name: /SELECT berth ?1\.5 s in that time/ }));
  });

  it("does not open a hit of earlier words", async () => {
    answers({ be: [statement("1", "of be")], berth: [statement("2", "of berth")] });
    const onClose = vi.fn();
    await shown(<Search server={3} open onClose={onClose} />);
    await userEvent.type(screen.getByRole("searchbox"), "be");
    await screen.findByText("of be");
    await userEvent.type(screen.getByRole("searchbox"), "rth{Enter}");
    expect(onClose).not.toHaveBeenCalled();
    await screen.findByText("of berth");
    await userEvent.type(screen.getByRole("searchbox"), "{Enter}");
    expect(onClose).toHaveBeenCalledOnce();
  });

  it("says that nothing contains it only once that was answered", async () => {
    answers({}, 300);
    await shown(<Search server={3} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "nowhere");
    expect(await screen.findByText(/Reading what contains this/)).toBeTruthy();
    expect(screen.queryByText(/Nothing that was seen/)).toBeNull();
    expect(await screen.findByText(/Nothing that was seen/)).toBeTruthy();
  });

  it("asks all servers where one is on none or says so, and names the server of each", async () => {
    answers({
      berth: [
        statement("7", "SELECT berth"),
        one("case", "4", "Slow at nine (open)", { server: null, server_name: "" }),
      ],
    });
    await shown(<Search server={null} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "berth");
    expect(await screen.findByRole("button", { name: /SELECT berth ?pier-1, 1\.5 s in the last day/ })).toBeTruthy();
    expect(urls.at(-1)).not.toContain("server=");
    cleanup();
    await shown(<Search server={3} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "berth");
    await screen.findByText("SELECT berth");
    expect(urls.at(-1)).toContain("server=3");
    await userEvent.click(screen.getByLabelText("on all servers"));
    await waitFor(() => expect(urls.at(-1)).not.toContain("server="));
  });

  it("says what is wrong with a kind that there is not", async () => {
    vi.stubGlobal("fetch", () => {
      const told = { type: "urn:faena:bad-input", title: "No", detail: "there is no kind 'colour'" };
      return Promise.resolve(
        new Response(JSON.stringify(told), { status: 400, headers: { "Content-Type": "application/problem+json" } }),
      );
    });
    await shown(<Search server={3} open onClose={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "ab kind:colour");
    expect((await screen.findByRole("alert")).textContent).toContain("there is no kind 'colour'");
  });
});
