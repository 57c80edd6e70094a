import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import type { ExecutionsSearch } from "./statements.route";
import { shown } from "../../testing/shown";
import { readPivot } from "./executions";
import { PivotTable } from "./PivotTable";

afterEach(cleanup);

const found = (change: Partial<Schemas["PivotOut"]> = {}): Schemas["PivotOut"] => ({
  rows: ["7", "8"],
  row_labels: ["SELECT * FROM booking", "UPDATE deck_slot"],
  columns: ["< 1 ms", "< 10 ms"],
  column_labels: ["< 1 ms", "< 10 ms"],
  cells: [
    [1000, 500],
    [null, 20],
  ],
  counts: [
    [10, 5],
    [0, 2],
  ],
  row_totals: [1500, 20],
  column_totals: [1000, 520],
  total: 1520,
  more_rows: 0,
  captured: 17,
  known: 17,
  ...change,
});

const SEARCH: ExecutionsSearch = { last: 900, rows: "statement" };
const view = (search: ExecutionsSearch, data = found(), onSearch = vi.fn()) =>
  shown(<PivotTable server={3} search={search} onSearch={onSearch} />, [
    [["pivot", 3, { last: 900 }, [], [], readPivot(search)], data],
  ]);

describe("a table of executions", () => {
  it("has the figures of each row and column, and their sums", async () => {
    await view(SEARCH);
    const told = screen.getAllByRole("row").map((row) => within(row).queryAllByRole("cell"));
    expect(told.map((cells) => cells.map((cell) => cell.textContent))).toEqual([
      [],
      ["1000", "500", "1500"],
      ["", "20", "20"],
      ["1000", "520", "1520"],
    ]);
    expect(told[1]?.[0]?.getAttribute("title")).toBe("from 10 captured executions");
  });

  it("leads from a statement to its page", async () => {
    await view(SEARCH);
    expect(screen.getByRole("link", { name: "UPDATE deck_slot" }).getAttribute("href")).toContain("/statements/8?");
  });

  it("says where there are too few for a figure, how many stand behind, and what is left out", async () => {
    const search = { ...SEARCH, aggregate: "p95" };
    const few = found({
      cells: [
        [4.5, null],
        [null, 9],
      ],
      known: 40_000,
      more_rows: 3,
    });
    const { container } = await view(search, few);
    expect(screen.getAllByText("too few")).toHaveLength(1);
    expect(container.textContent).toContain("From 17 captured executions, the newest of 40 k");
    expect(container.textContent).toContain("3 more rows.");
  });

  it("asks what is measured only where something is", async () => {
    await view(SEARCH);
    expect(screen.queryByRole("button", { name: /^measure/ })).toBeNull();
    cleanup();
    await view({ ...SEARCH, aggregate: "mean" });
    expect(screen.getByRole("button", { name: /^measure/ }).textContent).toContain("time");
  });

  it("is drawn as bars on request, with the same figures", async () => {
    const onSearch = vi.fn();
    await view(SEARCH, found(), onSearch);
    await userEvent.click(screen.getByRole("button", { name: "as chart" }));
    expect(onSearch).toHaveBeenCalledWith({ drawn: "chart" });
    cleanup();
    await view({ ...SEARCH, drawn: "chart" });
    expect(screen.queryByRole("columnheader")).toBeNull();
    await userEvent.click(
      screen.getByRole("button", { name: /^how many executions, by statement and duration: table/ }),
    );
    await userEvent.click(await screen.findByRole("menuitem", { name: "as table" }));
    expect(screen.getAllByRole("row").at(1)?.textContent).toBe("SELECT * FROM booking10005001500");
  });

  it("says that no execution has such a figure", async () => {
    await view(SEARCH, found({ rows: [], row_labels: [], cells: [], counts: [], row_totals: [] }));
    expect(screen.getByText("No execution in this window has such a figure.")).toBeTruthy();
  });
});
