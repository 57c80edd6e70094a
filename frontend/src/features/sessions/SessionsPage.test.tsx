import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { changeWords } from "./ending";
import { keyOf } from "../../charts/sessions";
import { SessionsPage } from "./SessionsPage";

const blocker: Schemas["LiveSessionOut"] = {
  pid: 4411,
  started_s: 100,
  state: "active",
  active: true,
  kind: "running",
  wait: "",
  wait_label: "running, no wait",
  query_id: "7",
  statement: "UPDATE deck_slot SET held = 1",
  database: "ferry",
  user: "ops",
  program: "ops-console",
  client: "127.0.0.9",
  backend: "client backend",
  transaction_ms: 200_000,
  statement_ms: 12_000,
  trace: "",
  endpoint: "",
  blocked_by: [],
  blocks: 14,
  waits_for: null,
};
const now = (sessions: Schemas["LiveSessionOut"][]): Schemas["NowOut"] =>
  ({ at: 1_700_000_000_000, stale: false, sessions }) as Schemas["NowOut"];

const VIEWER = "viewer";

const posted: unknown[] = [];
/** The server's side: who is there now, and what comes of ending somebody. */
const answering = (sessions: Schemas["LiveSessionOut"][], outcome: object = {}) => {
  const json = (body: object, status = 200) =>
    new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  vi.stubGlobal(
    "fetch",
    vi.fn(async (request: Request) => {
      if (request.method === "POST") {
        posted.push(await request.clone().json());
        return json(outcome, 201);
      }
      return json(request.url.endsWith("/sessions/now") ? now(sessions) : []);
    }),
  );
};

const known = (sessions: Schemas["LiveSessionOut"][]): [readonly unknown[], unknown][] => [
  [["sessions-now", 3, []], now(sessions)],
  [["ended", 3], []],
  [["recordings", 3], []],
];

async function page(role = "operator", sessions = [blocker]) {
  return shown(
    <SessionsPage server={3} past={false} search={{}} role={role} onSearch={() => undefined} />,
    known(sessions),
  );
}

const outcome: Schemas["EndedOut"] = {
  at: 1,
  by: "ada",
  what: "statement",
  pid: 4411,
  program: "ops-console",
  user: "ops",
  client: "",
  query_id: "7",
  reason: "it blocks",
  answer: "the server ended the statement",
  freed: [1, 2],
  still: [],
};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  posted.length = 0;
});

/** The page with its words in an address, and the way back to before they were looked for. */
const WithAddress = () => {
  const [find, setFind] = useState("");
  const search = find ? { find } : {};
  return (
    <>
      <SessionsPage
        {...{ server: 3, past: false, search, role: VIEWER }}
        onSearch={(change) => setFind(change.find ?? "")}
      />
      <button onClick={() => setFind("")}>back</button>
    </>
  );
};

describe("finding a session", () => {
  it("shows again what is there when the words are gone after Back", async () => {
    answering([blocker]);
    await shown(<WithAddress />, known([blocker]));
    await userEvent.type(screen.getByRole("searchbox"), "nobody{Enter}");
    expect(screen.getByText(/No current session matches/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "back" }));
    expect(screen.getByRole<HTMLInputElement>("searchbox").value).toBe("");
    expect(screen.getByRole("table", { name: "Sessions now" }).textContent).toContain("4411");
  });
});

describe("ending a session", () => {
  it("presets the milder choice, sends what was seen, and keeps the outcome until it is closed", async () => {
    answering([blocker], outcome);
    await page();
    await userEvent.click(screen.getByRole("button", { name: "end pid 4411 …" }));
    expect(screen.getByRole("radio", { name: /the statement/ })).toHaveProperty("checked", true);
    await userEvent.type(screen.getByRole("textbox", { name: /Why/ }), "it blocks");
    await userEvent.keyboard("{Escape}");
    expect(screen.getByRole("textbox", { name: /Why/ })).toHaveProperty("value", "it blocks");
    await userEvent.click(screen.getByRole("button", { name: "end the statement" }));
    expect(await screen.findByText(/2 sessions that it blocked go on/)).toBeTruthy();
    expect(posted).toEqual([
      { started_s: 100, statement_ms: 12_000, what: "statement", reason: "it blocks", confirmed: true },
    ]);
    await userEvent.click(screen.getAllByRole("button", { name: "close" }).at(-1) as HTMLElement);
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  it("holds on to the session when the list moves on, and says what has become of it", async () => {
    answering([]);
    const { container } = await page();
    await userEvent.click(screen.getByRole("button", { name: "end pid 4411 …" }));
    await userEvent.type(screen.getByRole("textbox", { name: /Why/ }), "it blocks");
    // The next poll finds nobody: the row is gone, the dialog and what was typed are not.
    expect(
      await screen.findByText(/Since you opened this it is not seen any more/, {}, { timeout: 8000 }),
    ).toBeTruthy();
    expect(container.textContent).not.toContain("deck_slot");
    expect(screen.getByRole("textbox", { name: /Why/ })).toHaveProperty("value", "it blocks");
  }, 15_000);

  it("is not offered to viewers", async () => {
    await page("viewer");
    expect(screen.getByText("UPDATE deck_slot SET held = 1")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /^end pid/ })).toBeNull();
  });

  it("tells another statement, an ended one, and one that is as it was", () => {
    expect(changeWords(blocker, blocker)).toBe("");
    expect(changeWords(blocker, { ...blocker, statement_ms: 500 })).toContain("another statement");
    expect(changeWords(blocker, { ...blocker, active: false, state: "idle in transaction" })).toContain("ended");
    expect(changeWords({ ...blocker, active: false }, { ...blocker, active: false })).toBe("");
    expect(keyOf(blocker)).toContain("4411");
  });

  it("is one step away from a session that waits: its blocker can be ended from there, by whom it may", async () => {
    const waiter = { ...blocker, pid: 50, started_s: 200, program: "booking-web", blocked_by: [4411], blocks: 0 };
    answering([blocker, waiter]);
    await page("operator", [blocker, waiter]);
    await userEvent.click(screen.getByRole("button", { name: "end the blocker, pid 4411 …" }));
    expect(await screen.findByRole("dialog", { name: "End ops-console, pid 4411" })).toBeTruthy();
    cleanup();
    await page("viewer", [blocker, waiter]);
    expect(screen.queryByRole("button", { name: /end the blocker/ })).toBeNull();
    expect(screen.getAllByRole("link", { name: "4411" })).toHaveLength(2); // its tape, from its row and from the waiter's
  });
});
