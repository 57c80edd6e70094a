import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { shown } from "../../testing/shown";
import { DataTable } from "../../ui/table/DataTable";
import { CORES, NEIGHBOURS, tableColumns } from "./columns";

afterEach(cleanup);

const cells = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((row) =>
      within(row)
        .getAllByRole("cell")
        .slice(0, -1)
        .map((cell) => cell.textContent.trim()),
    );

describe("the tables of a machine", () => {
  it("rank an estimate that grows without end above every number", async () => {
    const row = (cores: number, queueing: number | null) => ({
      cores,
      queueing,
      running: 2,
      overloaded: 0.5,
      now: cores === 4,
    });
    const rows = [row(2, null), row(4, 3), row(8, 0.1)];
    const sort = { by: "queueing", descending: true };
    await shown(
      <DataTable id="c" label="c" columns={CORES} rows={rows} rowKey={(one) => String(one.cores)} sort={sort} />,
    );
    expect(cells().map((row) => row.slice(0, 3))).toEqual([
      ["2", "2.00", "grows without end"],
      ["4 (now)", "2.00", "3.00"],
      ["8", "2.00", "0.10"],
    ]);
  });

  it("say of a neighbour whose disk was not read that it was not, and not that it reads nothing", async () => {
    const rows = [
      { id: 1, name: "main", share: 0.75, reads: 30, writes: 10 },
      { id: 2, name: "crew", share: null, reads: null, writes: null },
    ];
    const sort = { by: "share", descending: true };
    await shown(
      <DataTable
        id="n"
        label="n"
        columns={NEIGHBOURS}
        rows={rows as never[]}
        rowKey={(one: { readonly name: string }) => one.name}
        sort={sort}
      />,
    );
    expect(cells()).toEqual([
      ["main", "75%", "30/s", "10/s"],
      ["crew", "not read", "–", "–"],
    ]);
  });

  it("lead from a table to the statements that read it, and tell one that is still under way from a count of zero", async () => {
    const statement = { query_id: "7", label: "SELECT a", reads: 12, reading: 0 };
    const table = {
      ...{
        table: "booking",
        index: "",
        reads: 100,
        hits: 900,
        share: 0.9,
        hit_share: null,
        rows_read: 5,
        rows_written: 0,
      },
      ...{ size_bytes: 1024, statements: [statement, { ...statement, query_id: "8", reads: 0, reading: 0.4 }] },
    };
    const sort = { by: "reads", descending: true };
    await shown(
      <DataTable id="t" label="t" columns={tableColumns(3)} rows={[table as never]} rowKey={() => "t"} sort={sort} />,
    );
    const links = screen.getAllByRole("link");
    expect(links.map((link) => link.getAttribute("href"))).toEqual([
      "/servers/3/statements/7",
      "/servers/3/statements/8",
    ]);
    expect(links[1]?.textContent).toBe("under way, 40% of the time reading: SELECT a");
    expect(cells()[0]?.slice(0, 4)).toEqual(["booking", "100/s", "90%", "–"]);
  });
});
