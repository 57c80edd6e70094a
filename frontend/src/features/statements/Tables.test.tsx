import { cleanup, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Tables } from "./Tables";

afterEach(cleanup);

const table = (change: Partial<Schemas["TouchedTableOut"]> = {}): Schemas["TouchedTableOut"] => ({
  name: "booking",
  partition_of: "",
  size_bytes: 104_857_600,
  rows: 1_000_000,
  dead: 0,
  changed_since_analyze: 0,
  analyzed_at: new Date(2026, 2, 1, 14, 5).getTime(),
  vacuumed_at: null,
  indexes: [
    { name: "booking_pkey", columns: "(id)", size_bytes: 22_020_096, scans: 558, used: true },
    { name: "booking_old", columns: "(state) WHERE (id > 5)", size_bytes: 8192, scans: 0, used: false },
  ],
  ...change,
});

const view = (found: Partial<Schemas["TouchedTablesOut"]>) =>
  shown(<Tables server={3} query="7" />, [
    [["tables", 3, "7"], { tables: [], missing: [], surveyed: false, ...found }],
  ]);

describe("the tables of a statement", () => {
  it("tell size, rows, statistics, and of each index what it is on and whether it is read", async () => {
    await view({ tables: [table()] });
    const told = screen.getAllByRole("row").map((row) => row.textContent);
    expect(told[1]).toMatch(/^booking100 MiB1 Mtaken Sun 1 Mar 14:05$/);
    expect(told[2]).toBe("booking_pkey used by its newest plan(id)21.0 MiB558 times");
    expect(told[3]).toBe("booking_old(state) WHERE (id > 5)8.00 KiBnever");
  });

  it("say where statistics are old or were never taken, and of what a partition is one", async () => {
    await view({
      tables: [
        table({ changed_since_analyze: 400_000 }),
        table({ name: "mooring_late", partition_of: "mooring", analyzed_at: null, indexes: [] }),
      ],
    });
    expect(screen.getByText(/40% of the rows changed since/)).toBeTruthy();
    expect(screen.getByText("of mooring")).toBeTruthy();
    expect(screen.getByText("never taken")).toBeTruthy();
  });

  it("name what is no table, and what no survey knew", async () => {
    const { container } = await view({ missing: ["free_berth"] });
    expect(container.textContent).toContain("No table of this database: free_berth");
    cleanup();
    const made = await view({ tables: [table({ rows: null, indexes: [] })], missing: ["fare"], surveyed: true });
    expect(made.container.textContent).toContain("The size of fare was not surveyed.");
    expect(made.container.textContent).not.toContain("statistics1");
    expect(screen.queryByRole("columnheader", { name: "rows" })).toBeNull();
  });

  it("say that there are none, and lead to indexes", async () => {
    const { container } = await view({});
    expect(container.textContent).toContain("It touches no table.");
    const href = screen.getByRole("link", { name: "indexes that would help" }).getAttribute("href");
    expect(href).toBe("/servers/3/indexes");
  });
});
