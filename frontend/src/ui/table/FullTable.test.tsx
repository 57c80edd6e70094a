import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { DataTable } from "./DataTable";
import { type Sort } from "./table";
import type { Column } from "./columns";
import { AS_IT_COMES, type Layout, LayoutsContext } from "./layouts";

afterEach(cleanup);

interface Ferry {
  readonly name: string;
  readonly cars: number | null;
  readonly port: string;
}

const FLEET: Ferry[] = [
  { name: "Petrel", cars: 40, port: "Ness" },
  { name: "Auk", cars: null, port: "Wick" },
  { name: "Skua", cars: 9, port: 'Ness, "old" quay' },
];

const LONG: Ferry[] = Array.from({ length: 1000 }, (_, i) => ({ name: `No ${i}`, cars: i, port: "Ness" }));

const COLUMNS: Column<Ferry>[] = [
  { id: "name", heading: "ferry", wide: true, value: (one) => one.name },
  { id: "cars", heading: "cars", align: "right", value: (one) => one.cars },
  { id: "port", heading: "port", optional: true, value: (one) => one.port },
];

const Kept = ({ more = {} }: { readonly more?: object }) => {
  const [layout, setLayout] = useState<Layout>(AS_IT_COMES);
  return (
    <LayoutsContext value={{ of: () => layout, keep: (_, next) => setLayout(next) }}>
      <DataTable
        id="fleet"
        label="Fleet"
        columns={COLUMNS}
        rows={FLEET}
        rowKey={(one) => one.name}
        sort={{ by: "name", descending: false }}
        link={(one, words, className) => (
          <a href={`/ferries/${one.name}`} className={className}>
            {words}
          </a>
        )}
        {...more}
      />
    </LayoutsContext>
  );
};

const names = () => screen.getAllByRole("link").map((link) => link.textContent);

describe("the one table", () => {
  it("sorts both ways, numbers from the largest, and leaves what is not known at the end", async () => {
    render(<Kept />);
    expect(names()).toEqual(["Auk", "Petrel", "Skua"]);
    await userEvent.click(screen.getByRole("button", { name: "cars" }));
    expect(names()).toEqual(["Petrel", "Skua", "Auk"]);
    expect(screen.getByRole("columnheader", { name: /cars/ }).getAttribute("aria-sort")).toBe("descending");
    await userEvent.click(screen.getByRole("button", { name: /^cars/ }));
    expect(names()).toEqual(["Skua", "Petrel", "Auk"]);
  });

  it("keeps the focus and what was typed in a row, though columns and rows are made anew", async () => {
    const anew = (): Column<Ferry>[] => [
      ...COLUMNS,
      { id: "note", heading: "note", value: () => "", show: (one) => <input aria-label={`note of ${one.name}`} /> },
    ];
    const { rerender } = render(<Kept more={{ columns: anew() }} />);
    await userEvent.type(screen.getByLabelText("note of Skua"), "leaks");
    rerender(<Kept more={{ columns: anew(), rows: FLEET.map((one) => ({ ...one, cars: 1 })) }} />);
    const note = screen.getByLabelText<HTMLInputElement>("note of Skua");
    expect(note.value).toBe("leaks");
    expect(document.activeElement).toBe(note);
  });

  it("tells whoever keeps the order, and leaves alone what comes in order", async () => {
    const onSort = vi.fn<(sort: Sort) => void>();
    render(<Kept more={{ onSort, manual: true }} />);
    expect(names()).toEqual(["Petrel", "Auk", "Skua"]);
    await userEvent.click(screen.getByRole("button", { name: "cars" }));
    expect(onSort).toHaveBeenCalledWith({ by: "cars", descending: true });
  });

  it("keeps one on top whatever the order, and says something below a row", () => {
    render(
      <Kept
        more={{ top: (one: Ferry) => one.name === "Skua", detail: (one: Ferry) => (one.cars === 9 ? "full" : null) }}
      />,
    );
    expect(names()).toEqual(["Skua", "Auk", "Petrel"]);
    expect(screen.getAllByRole("row")[2]?.textContent).toBe("full");
  });

  it("shows and hides columns, and takes all of that back", async () => {
    render(<Kept />);
    await userEvent.click(screen.getByRole("button", { name: "columns and files of Fleet" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "port" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "cars" }));
    expect(screen.getAllByRole("columnheader").map((head) => head.textContent)).toContain("port");
    expect(screen.queryByRole("columnheader", { name: /cars/ })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "columns and widths as at first" }));
    expect(screen.queryByRole("columnheader", { name: /port/ })).toBeNull();
    expect(screen.getByRole("columnheader", { name: /cars/ })).toBeTruthy();
  });

  it("has columns that are widened with the keys, and by dragging their edge", async () => {
    const { container } = render(<Kept />);
    const width = () => screen.getByRole("columnheader", { name: /cars/ }).style.width;
    screen.getByRole("button", { name: /^cars/ }).focus();
    await userEvent.keyboard("{ArrowRight}");
    expect(width()).toBe("");
    await userEvent.keyboard("{Shift>}{ArrowRight}{ArrowRight}{ArrowRight}{ArrowRight}{/Shift}");
    expect(width()).toBe("84px"); // 36 px at least, then 16 more a step
    const edge = container.querySelector<HTMLElement>("th[aria-label=cars] [data-edge]");
    if (!edge) throw new Error("no edge");
    edge.setPointerCapture = () => undefined;
    fireEvent.pointerDown(edge, { clientX: 100 });
    fireEvent.pointerUp(edge, { clientX: 140 });
    expect(width()).toBe("124px");
  });

  it("is there whole when it is printed", () => {
    const { container } = render(<Kept more={{ rows: LONG }} />);
    const rows = () => container.querySelectorAll("tr").length;
    expect(rows()).toBeLessThan(100);
    act(() => void window.dispatchEvent(new Event("beforeprint")));
    expect(rows()).toBe(1001);
    act(() => void window.dispatchEvent(new Event("afterprint")));
    expect(rows()).toBeLessThan(100);
  });

  it("is moved in by arrow keys, from row to row", async () => {
    render(<Kept />);
    screen.getByRole("link", { name: "Auk" }).focus();
    await userEvent.keyboard("{ArrowDown}");
    expect(document.activeElement?.textContent).toBe("Petrel");
    await userEvent.keyboard("{End}");
    expect(document.activeElement?.textContent).toBe("Skua");
    await userEvent.keyboard("{ArrowDown}{Home}");
    expect(document.activeElement?.textContent).toBe("Auk");
  });
});

describe("rows that are made anew with each drawing", () => {
  it("are drawn once, and not again without end", async () => {
    const drawn = vi.fn();
    const Fresh = () => {
      drawn();
      return <Kept more={{ rows: FLEET.map((one) => ({ ...one })), columns: COLUMNS.map((one) => ({ ...one })) }} />;
    };
    render(<Fresh />);
    await userEvent.click(screen.getByRole("button", { name: "cars" }));
    await new Promise((done) => setTimeout(done, 50));
    expect(names()).toEqual(["Petrel", "Skua", "Auk"]);
    expect(drawn.mock.calls.length).toBeLessThan(5);
  });
});

describe("a table taken along", () => {
  const written = vi.fn<(text: string) => Promise<void>>(() => Promise.resolve());
  beforeEach(() => {
    written.mockClear();
  });

  it("copies the rows and columns that are seen, in their order, and says how many", async () => {
    const user = userEvent.setup();
    vi.spyOn(navigator.clipboard, "writeText").mockImplementation(written);
    render(<Kept />);
    await user.click(screen.getByRole("button", { name: "columns and files of Fleet" }));
    await user.click(screen.getByRole("checkbox", { name: "port" }));
    await user.click(screen.getByRole("button", { name: "copy these 3 rows" }));
    expect(written).toHaveBeenCalledWith('ferry\tcars\tport\nAuk\t\tWick\nPetrel\t40\tNess\nSkua\t9\tNess, "old" quay');
    expect(screen.getByRole("status").textContent).toBe("3 rows copied");
  });
});
