import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { GroupPage } from "./GroupPage";

afterEach(cleanup);

const node = (id: number, name: string, change: Partial<Schemas["NodeOut"]> = {}) => ({
  ...{ id, name, role: "replica", cores: 8, load: 1, share: 0.2, bucket_ms: 60_000, starts: [0], groups: [] },
  ...{ lag_ms: 30, lag: [30], lag_starts: [0], lag_bucket_ms: 60_000, conflicts: 0 },
  ...change,
});

const GROUP: Schemas["ServerGroupOut"] = {
  ...{ name: "bookings", start: 0, end: 60_000, now: 60_000 },
  nodes: [
    node(1, "main", { role: "primary", share: 0.8, load: 4, lag_ms: null, lag: [], conflicts: null }),
    node(2, "replica"),
    node(3, "spare", { load: null, share: null, lag_ms: null, conflicts: null }),
  ],
  statements: [
    {
      query_id: "7",
      label: "SELECT 1",
      total_ms: 9,
      nodes: [{ calls: 10, mean_ms: 2 }, { calls: 4, mean_ms: 6 }, null],
      spread: 3,
    },
    { query_id: "8", label: "SELECT 2", total_ms: 1, nodes: [{ calls: 1, mean_ms: 1 }, null, null], spread: null },
  ],
};

const page = () =>
  shown(<GroupPage name="bookings" search={{ last: 3600 }} />, [[["group", "bookings", { last: 3600 }], GROUP]]);

const rows = (table: string) =>
  within(screen.getByRole("table", { name: table }))
    .getAllByRole("row")
    .slice(1);

describe("a group of servers", () => {
  it("says who bears most, and of each node what is known and what is not", async () => {
    await page();
    expect(screen.getByRole("heading", { level: 2, name: /^main bears 80% of the load/ })).toBeTruthy();
    const [main, replica, spare] = rows("nodes of bookings").map((row) => row.textContent);
    expect(main).toMatch(/main.*primary.*4.* active.*80%/);
    expect(replica).toContain("20%");
    expect(spare).toContain("not sampled");
  });

  it("tells a statement's time per call on each node, with the step to it, and no figure where it did not run", async () => {
    await page();
    const [first, second] = rows("statements of bookings");
    expect(first?.textContent).toContain("3.0 times");
    const links = within(first as HTMLElement).getAllByRole("link");
    expect(links.map((link) => [link.textContent, link.getAttribute("href")])).toEqual([
      ["2 ms × 10", "/servers/1/statements/7"],
      ["6 ms × 4", "/servers/2/statements/7"],
    ]);
    expect(within(second as HTMLElement).getAllByTitle("no calls on this node")).toHaveLength(2);
  });

  it("puts statements in the order of any node", async () => {
    await page();
    await userEvent.click(screen.getByRole("button", { name: "main" }));
    expect(rows("statements of bookings").map((row) => row.textContent.slice(0, 8))).toEqual(["SELECT 1", "SELECT 2"]);
    await userEvent.click(screen.getByRole("button", { name: /^main/ }));
    expect(rows("statements of bookings").map((row) => row.textContent.slice(0, 8))).toEqual(["SELECT 2", "SELECT 1"]);
  });
});
