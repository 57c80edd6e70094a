import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { departureWords, earlierSpec, sieveTable } from "./model";
import { TotalView } from "./TotalView";

afterEach(cleanup);

const row = (value: string, sessions: number): Schemas["RowOut"] => ({
  value,
  label: value,
  full: value,
  sessions,
  sessions_margin: 0.1,
  share: sessions / 4,
  share_margin: 0.01,
  seen: 100,
  by_kind: { running: sessions },
  picked: false,
  opens: null,
});
const column: Schemas["ColumnOut"] = { dimension: "program", rows: [row("a", 3), row("b", 1)], more: 0, samples: 400 };

describe("the window in total", () => {
  it("ranks values and narrows to one", async () => {
    const onPick = vi.fn();
    render(<TotalView column={column} onPick={onPick} />);
    const items = screen.getAllByRole("listitem");
    expect(items.map((one) => one.textContent)).toEqual(["a3.00 75 ±1%", "b1.00 25 ±1%"]);
    await userEvent.click(screen.getByRole("button", { name: /^b/ }));
    expect(onPick).toHaveBeenCalledWith("b", "only");
  });

  it("says so when nobody was active", () => {
    render(<TotalView column={{ ...column, rows: [] }} onPick={vi.fn()} />);
    expect(screen.getByText("Nobody was active in this window.")).toBeTruthy();
  });
});

describe("beside the load", () => {
  it("says a departure with its size and length", () => {
    const at = new Date().setHours(9, 20, 0, 0); // of today, so that no day is told
    const one = { side: "waiting", start: at, end: at + 1_080_000, load: 39, usual: 0.7, size: 38.3 };
    expect(departureWords(one)).toBe("waiting +38.3 for 18 min at 09:20");
    expect(departureWords({ ...one, size: -1.02 })).toContain("−1.02");
  });

  it("compares with the same hours on the same buckets", () => {
    const load = { start: 1_000_007, end: 1_900_007, bucket_ms: 10_000 } as Schemas["LoadOut"];
    expect(earlierSpec(load, 1)).toEqual({ from: 1_000_000 - 86_400_000, to: 1_900_000 - 86_400_000 });
    expect(earlierSpec(undefined, 1)).toEqual({ last: 900 });
  });

  it("exports the sieve with its margins, a value a row", () => {
    const table = sieveTable({ columns: [column], ticks: 60 });
    expect(table.rows).toEqual([
      ["program", "a", 3, 0.1, 0.75, 0.01, 100],
      ["program", "b", 1, 0.1, 0.25, 0.01, 100],
    ]);
    expect(table.columns).toHaveLength(7);
  });
});
