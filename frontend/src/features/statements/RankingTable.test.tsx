import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Coverage, Uncounted } from "./RankingNotes";
import { RankingTable } from "./RankingTable";

afterEach(cleanup);

const row = (change: Partial<Schemas["FiguresOut"]>): Schemas["FiguresOut"] => ({
  query_id: "7",
  label: "SELECT * FROM booking WHERE reference = $1",
  tables: "booking",
  calls: 1000,
  total_ms: 60_000,
  mean_ms: 60,
  stddev_ms: 12.5,
  rows: 1000,
  plan_ms: 40,
  blocks_hit: 128,
  blocks_read: 0,
  read_ms: 0,
  temp_read: 0,
  temp_written: 0,
  wal_bytes: 0,
  share: 0.6,
  errors: 0,
  change: 2.5,
  sessions: 1.02,
  on_cpu: 0.9,
  disk_read_rate: null,
  disk_write_rate: null,
  starred: false,
  ...change,
});

const ranking = (change: Partial<Schemas["RankingOut"]> = {}): Schemas["RankingOut"] => ({
  hidden: 0,
  unfit: 0,
  previous_covered_ms: 60_000,
  start: 0,
  end: 60_000,
  rows: [row({}), row({ query_id: "-8", label: "COMMIT", calls: 0, total_ms: 0, mean_ms: null, change: null })],
  more: 0,
  total_ms: 60_000,
  covered_ms: 60_000,
  breaks: [],
  uncounted: [],
  ...change,
});

const table = (onSort = vi.fn()) => (
  <RankingTable
    found={ranking()}
    usual={new Map([["7", 250]])}
    sort="total_ms"
    ascending={false}
    server={3}
    search={{ last: 900 }}
    onSort={onSort}
    files={[]}
  />
);

describe("the ranking", () => {
  it("tells each figure in its unit, and a dash for what is not known, with the reason", async () => {
    await shown(table());
    const [, first, second] = screen.getAllByRole("row");
    const told = within(first as HTMLElement)
      .getAllByRole("cell")
      .map((cell) => cell.textContent);
    // star, statement, time, sessions, on CPU, change, of usual, calls, per call, rows, memory, read, …
    expect(told.slice(2, 11)).toEqual(["1 min", "1.02", "0.90", "2.5×", "4.0×", "1000", "60 ms", "1000", "1.00 MiB"]);
    const unknown = within(second as HTMLElement).getAllByText("–");
    expect(unknown.map((cell) => cell.getAttribute("title"))).toContain("no call of it ended well in this window");
  });

  it("leads to the statement in the same window", async () => {
    await shown(table());
    const href = screen.getByRole("link", { name: /SELECT/ }).getAttribute("href") ?? "";
    expect(href).toMatch(/^\/servers\/3\/statements\/7\?/);
    expect(href).toContain("last=900");
  });

  it("says by what it is ranked, and ranks by what is clicked", async () => {
    const onSort = vi.fn();
    await shown(table(onSort));
    expect(screen.getByRole("columnheader", { name: /^time/ }).getAttribute("aria-sort")).toBe("descending");
    await userEvent.click(screen.getByRole("button", { name: "on CPU" }));
    expect(onSort).toHaveBeenCalledWith("on_cpu", false);
  });
});

describe("what stands beside the ranking", () => {
  it("names what the counters cannot hold, with the way there, and is silent where there is nothing", async () => {
    const uncounted = [{ query_id: "70", label: "UPDATE deck_slot", sessions: 6.1 }];
    await shown(<Uncounted found={ranking({ uncounted })} server={3} />);
    expect(screen.getByRole("status").textContent).toContain("UPDATE deck_slot 6.10 sessions");
    expect(screen.getByRole("link").getAttribute("href")).toContain("/servers/3/statements/70");
    cleanup();
    await shown(<Uncounted found={ranking()} server={3} />);
    expect(screen.queryByRole("status")).toBeNull();
  });

  it("says how much was counted, and what broke the counting", async () => {
    const { container } = await shown(
      <Coverage found={ranking({ covered_ms: 20_000, breaks: ["reset", "eviction"] })} span={60_000} />,
    );
    expect(container.textContent).toContain("Counters cover 20 s of this window's 1 min.");
    expect(container.textContent).toContain("reset in between");
    expect(container.textContent).toContain("evicted rarely used statements");
    cleanup();
    const whole = await shown(<Coverage found={ranking()} span={60_000} />);
    expect(whole.container.textContent).toBe("");
  });
});
