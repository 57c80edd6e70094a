import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { shown } from "../../testing/shown";
import { HistoryPage } from "./HistoryPage";
import { type History, historyQuery } from "./queries";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const AT = 1_790_000_000_000;
const lead = (more: Partial<History> = {}): History => ({
  ...{ id: 5, identity: "0123456789abcdef", kind: "idle_transaction", label: "transaction left open" },
  ...{ title: "A transaction left open by ops-console", program: "ops-console", table: "sailing" },
  ...{ first: AT, last: AT + 600_000, times: 2, state: "open", state_at: 0, state_by: "", reason: "", came_back: null },
  spans: [{ start: AT, end: AT + 600_000, share: 0.9, seconds: 4000, title: "A transaction left open" }],
  verdict: null,
  ...more,
});
const open = (rows: readonly History[], role = "operator", state?: string) =>
  shown(<HistoryPage server={3} role={role} search={state ? { state } : {}} onSearch={() => undefined} />, [
    [historyQuery(3, state === "handled" ? "handled" : null).queryKey, rows],
  ]);

describe("leads of a server", () => {
  it("lead to the window in which each was seen last, with how often it came and what became of it", async () => {
    const handled = { state: "handled", state_at: AT, state_by: "olga", reason: "ended it" };
    await open([lead(), lead({ id: 6, title: "53 sessions want to run", came_back: AT, ...handled })]);
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("2 leads, 1 open");
    const link = screen.getByRole("link", { name: "A transaction left open by ops-console" });
    expect(link.getAttribute("href")).toContain(`from=${AT}`);
    expect(document.body.textContent).toContain("2 times");
    expect(document.body.textContent).toContain("by olga: ended it");
    expect(document.body.textContent).toContain("came back");
  });

  it("that are none say so of what was looked at", async () => {
    await open([]);
    expect(document.body.textContent).toContain("in all the windows that were looked at");
    cleanup();
    await open([], "operator", "handled");
    expect(document.body.textContent).toContain("No lead is handled.");
    cleanup();
    await open([lead({ state: "handled" })], "operator", "handled");
    expect(screen.getByRole("heading", { level: 1 }).textContent).toBe("1 lead, handled");
  });

  it("are dismissed with a reason only, by who may", async () => {
    await open([lead()], "viewer");
    expect(screen.queryByRole("button", { name: /dismiss/ })).toBeNull();
    cleanup();
    const sent: Request[] = [];
    vi.spyOn(globalThis, "fetch").mockImplementation((request) => {
      sent.push(request as Request);
      return Promise.resolve(new Response("[]", { headers: { "Content-Type": "application/json" } }));
    });
    await open([lead()]);
    fireEvent.click(screen.getByRole("button", { name: /^dismiss/ }));
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "dismiss" }).disabled).toBe(true);
    fireEvent.change(screen.getByLabelText("why it is no trouble"), { target: { value: "a drill" } });
    fireEvent.click(screen.getByRole("button", { name: "dismiss" }));
    await waitFor(() => expect(sent.some((one) => one.method === "PUT")).toBe(true));
    const put = sent.find((one) => one.method === "PUT");
    expect(await put?.json()).toMatchObject({ id: 5, state: "dismissed", reason: "a drill" });
  });

  it("keep the form until the new state is shown, and the keyboard in its place", async () => {
    let told: ((rows: Response) => void) | undefined;
    const json = { headers: { "Content-Type": "application/json" } };
    const handled = lead({ state: "handled", state_at: AT, state_by: "olga", reason: "ended it" });
    vi.spyOn(globalThis, "fetch").mockImplementation((request) =>
      (request as Request).method === "PUT"
        ? Promise.resolve(new Response(JSON.stringify(handled), json))
        : new Promise((done) => (told = done)),
    );
    await open([lead()]);
    screen.getByRole("button", { name: /^handled: / }).focus();
    await userEvent.keyboard("{Enter}ended it{Enter}");
    await waitFor(() => expect(told).toBeDefined());
    expect(screen.getByLabelText<HTMLInputElement>("what was done about it").value).toBe("ended it");
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "handled" }).disabled).toBe(true);
    told?.(new Response(JSON.stringify([handled]), json));
    await waitFor(() => expect(document.body.textContent).toContain("by olga: ended it"));
    await waitFor(() => expect(document.activeElement).toBe(screen.getByRole("button", { name: /^open again/ })));
  });
});
