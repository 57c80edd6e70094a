import { cleanup, render, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { DataTable, PlainTable } from "./DataTable";
import type { Column } from "./columns";
import { AS_IT_COMES, LayoutsContext } from "./layouts";

afterEach(cleanup);

interface Berth {
  readonly name: string;
  readonly length: number | null;
}

const BERTHS: readonly Berth[] = [
  { name: "north", length: 90 },
  { name: "east", length: null },
  { name: "south", length: 210 },
];

const COLUMNS: Column<Berth>[] = [
  { id: "name", heading: "berth", wide: true, value: (one) => one.name },
  {
    id: "length",
    heading: "length",
    align: "right",
    value: (one) => one.length,
    show: (one) => `${one.length ?? "?"} m`,
  },
  { id: "note", heading: "note", optional: true, value: () => "n" },
];

const PROPS = { id: "berths", label: "berths", columns: COLUMNS, rowKey: (one: Berth) => one.name };
const BY_LENGTH = { by: "length", descending: true };

const cells = () =>
  screen
    .getAllByRole("row")
    .slice(1)
    .map((row) => within(row).getAllByRole("cell")[0]?.textContent);

describe("the first rows of a table, before all of it is loaded", () => {
  it("stand in the order in which the table will have them: either way, what is not known at the end", () => {
    render(<PlainTable {...PROPS} rows={BERTHS} sort={BY_LENGTH} />);
    expect(cells()).toEqual(["south", "north", "east"]);
    cleanup();
    render(<DataTable {...PROPS} rows={BERTHS} sort={BY_LENGTH} />);
    expect(cells()).toEqual(["south", "north", "east"]);
    cleanup();
    render(<PlainTable {...PROPS} rows={BERTHS} sort={{ by: "length", descending: false }} />);
    expect(cells()).toEqual(["north", "south", "east"]);
  });

  it("stay as they come where they come in order or no column is named, and keep on top what belongs there", () => {
    render(<PlainTable {...PROPS} rows={BERTHS} sort={BY_LENGTH} manual />);
    expect(cells()).toEqual(["north", "east", "south"]);
    cleanup();
    render(<PlainTable {...PROPS} rows={BERTHS} sort={{ by: "", descending: true }} />);
    expect(cells()).toEqual(["north", "east", "south"]);
    cleanup();
    render(<PlainTable {...PROPS} rows={BERTHS} sort={BY_LENGTH} top={(one) => one.name === "east"} />);
    expect(cells()).toEqual(["east", "south", "north"]);
  });

  it("have the columns that this person wants to see, and links where the rows are links", () => {
    const layouts = { of: () => ({ ...AS_IT_COMES, shown: ["note"], hidden: ["length"] }), keep: () => undefined };
    render(
      <LayoutsContext value={layouts}>
        <PlainTable
          {...PROPS}
          rows={BERTHS}
          sort={BY_LENGTH}
          link={(one, words, className) => (
            <a href={`/berths/${one.name}`} className={className}>
              {words}
            </a>
          )}
        />
      </LayoutsContext>,
    );
    expect(screen.getAllByRole("columnheader").map((one) => one.textContent)).toEqual(["berth", "note", ""]);
    expect(screen.getByRole("link", { name: "south" }).getAttribute("href")).toBe("/berths/south");
  });

  it("are no more than a screen holds", () => {
    const many = Array.from({ length: 500 }, (_, i) => ({ name: `berth ${i}`, length: i }));
    render(<PlainTable {...PROPS} rows={many} sort={BY_LENGTH} />);
    expect(cells()).toHaveLength(60);
    expect(cells()[0]).toBe("berth 499");
    expect(screen.getByRole("table").getAttribute("aria-busy")).toBe("true");
  });
});

describe("a table of the newest", () => {
  it("says that there may be more once it has as many as were asked for", () => {
    const { container } = render(<DataTable {...PROPS} rows={BERTHS} most={4} sort={BY_LENGTH} />);
    expect(container.textContent).not.toContain("there may be more");
    cleanup();
    render(<DataTable {...PROPS} rows={BERTHS} most={3} sort={BY_LENGTH} />);
    expect(screen.getByText("These are the newest 3; there may be more.")).toBeTruthy();
  });
});
