import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { SplitPage, readSpan } from "./SplitPage";

afterEach(cleanup);

const part = (change: Partial<Schemas["SplitPartOut"]>): Schemas["SplitPartOut"] => ({
  query_id: "7",
  label: "SELECT count(*) FROM deck_slot",
  before_calls: 325,
  after_calls: 1070,
  before_cost: 1.2,
  after_cost: 1.2,
  by_calls: 892,
  by_cost: 0,
  change: 892,
  ...change,
});

const split = (change: Partial<Schemas["SplitOut"]> = {}): Schemas["SplitOut"] => ({
  start: 0,
  end: 60_000,
  other_start: -60_000,
  other_end: 0,
  before: 3000,
  after: 4000,
  volume: 1750,
  mix: -800,
  cost: 50,
  reads_before: 0,
  reads_after: 0,
  by_count: 0,
  by_latency: 0,
  sentence: "Time in statements is 1.3 times what it was.",
  parts: [part({})],
  rest: 0,
  ...change,
});

const view = (data: Schemas["SplitOut"], against = "previous", onSearch = vi.fn()) =>
  shown(<SplitPage server={3} search={{ last: 900, against }} onSearch={onSearch} />, [
    [["split", 3, { last: 900 }, against, []], data],
  ]);

const figures = (table: HTMLElement): string[] =>
  within(table)
    .getAllByRole("row")
    .map((row) => row.textContent);

describe("the cause split", () => {
  it("leads from before to now in parts, each beginning where the one above ends", async () => {
    await view(split());
    const table = screen.getAllByRole("table")[0] as HTMLElement;
    expect(figures(table)).toEqual([
      "before3 s a second",
      "more calls+1.75 s a secondall statements alike",
      "another mix−800 ms a secondother statements than before",
      "dearer calls+50 ms a secondthe same statements",
      "now4 s a second",
    ]);
    const bars = [...table.querySelectorAll("rect")].map((bar) => [bar.getAttribute("x"), bar.getAttribute("width")]);
    const [before, volume, mix, cost, now] = bars.map(([x, width]) => [parseFloat(x ?? ""), parseFloat(width ?? "")]);
    expect(volume?.[0]).toBeCloseTo((before?.[0] ?? 0) + (before?.[1] ?? 0));
    expect((volume?.[0] ?? 0) + (volume?.[1] ?? 0)).toBeCloseTo((mix?.[0] ?? 0) + (mix?.[1] ?? 0));
    expect(cost?.[0]).toBeCloseTo(mix?.[0] ?? 0);
    expect((cost?.[0] ?? 0) + (cost?.[1] ?? 0)).toBeCloseTo((now?.[0] ?? 0) + (now?.[1] ?? 0));
  });

  it("names parts by the way they went", async () => {
    await view(split({ volume: -500, cost: -300, mix: 0, after: 2200 }));
    expect(screen.getByRole("row", { name: /^fewer calls/ })).toBeTruthy();
    expect(screen.getByRole("row", { name: /^cheaper calls/ })).toBeTruthy();
  });

  it("tells reads apart by how many and how slow, where there were any", async () => {
    await view(split());
    expect(screen.queryByText("Of it, waiting for reads")).toBeNull();
    cleanup();
    await view(split({ reads_before: 500, reads_after: 900, by_count: -100, by_latency: 500 }));
    expect(figures(screen.getAllByRole("table")[1] as HTMLElement).slice(1, 3)).toEqual([
      "fewer reads−100 ms a secondblocks from outside memory",
      "slower reads+500 ms a secondthe storage",
    ]);
  });

  it("leads to the statements behind it in the same window", async () => {
    await view(split());
    const link = screen.getByRole("link", { name: /deck_slot/ });
    expect(link.getAttribute("href")).toContain("/servers/3/statements/7?");
    expect(link.closest("tr")?.textContent).toContain("325/s → 1070/s");
  });

  it("is made against another time by choice", async () => {
    const onSearch = vi.fn();
    await view(split(), "day", onSearch);
    const choice = screen.getByRole("button", { name: /compared with/ });
    expect(choice.textContent).toContain("the same hours yesterday");
    await userEvent.click(choice);
    await userEvent.click(screen.getByRole("option", { name: "the same hours a week ago" }));
    expect(onSearch).toHaveBeenCalledWith({ against: "week" });
  });

  it("is made against any other window, which the address holds", async () => {
    const onSearch = vi.fn();
    await view(split(), "previous", onSearch);
    await userEvent.click(screen.getByRole("button", { name: /compared with/ }));
    await userEvent.click(screen.getByRole("option", { name: /another window/ }));
    const dialog = await screen.findByRole("dialog", { name: "Compare with" });
    const [from, to] = within(dialog).getAllByRole("textbox");
    await userEvent.clear(from as HTMLElement);
    await userEvent.type(from as HTMLElement, "2026-11-23 09:20");
    await userEvent.clear(to as HTMLElement);
    await userEvent.type(to as HTMLElement, "2026-11-23 09:10");
    await userEvent.click(within(dialog).getByRole("button", { name: "show" }));
    expect(within(dialog).getByRole("alert").textContent).toBe("the end must lie after the start");
    expect(onSearch).not.toHaveBeenCalled();
    await userEvent.clear(to as HTMLElement);
    await userEvent.type(to as HTMLElement, "2026-11-23 09:40");
    await userEvent.click(within(dialog).getByRole("button", { name: "show" }));
    const { against, other } = onSearch.mock.calls[0]?.[0] as { against: string; other: string };
    expect(against).toBe("window");
    const chosen = readSpan(other);
    expect((chosen?.to ?? 0) - (chosen?.from ?? 0)).toBe(20 * 60_000);
  });

  it("falls back to the window before where the address holds no other one", () => {
    expect(readSpan("1000~9000")).toEqual({ from: 1000, to: 9000 });
    for (const nonsense of [undefined, "", "9000~1000", "1~2~3", "a~b", "-5~5", "1.5~2", "5"])
      expect(readSpan(nonsense), nonsense).toBeNull();
  });
});
