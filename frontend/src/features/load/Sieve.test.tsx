import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { Sieve } from "./Sieve";

afterEach(cleanup);

const row = (value: string, sessions: number): Schemas["RowOut"] => ({
  value,
  label: value,
  full: `all of ${value}`,
  sessions,
  sessions_margin: 0.1,
  share: sessions / 4,
  share_margin: 0.06,
  seen: sessions * 10,
  by_kind: { lock: sessions },
  picked: value === "b",
});
const sieve: Schemas["SieveOut"] = {
  ticks: 60,
  columns: [
    { dimension: "wait", rows: [row("Lock:tuple", 3), row("running", 1)], more: 0, samples: 40 },
    { dimension: "program", rows: [row("a", 3), row("b", 1)], more: 5, samples: 40 },
    { dimension: "statement", rows: [row("-42", 3)], more: 0, samples: 40 },
  ],
};

function show() {
  const acts = { onPick: vi.fn(), onColumns: vi.fn(), onExplain: vi.fn(), onOpen: vi.fn(), onMore: vi.fn() };
  render(<Sieve sieve={sieve} columns={["wait", "program", "statement"]} {...acts} />);
  return acts;
}

describe("Sieve", () => {
  it("picks with a click, adds with Shift, leaves out with Alt", async () => {
    const { onPick, onExplain } = show();
    const user = userEvent.setup();
    await user.click(screen.getByRole("button", { name: /^a ?3\.00/ }));
    await user.keyboard("{Shift>}");
    await user.click(screen.getByRole("button", { name: /^a ?3\.00/ }));
    await user.keyboard("{/Shift}{Alt>}");
    await user.click(screen.getByRole("button", { name: /^a ?3\.00/ }));
    await user.keyboard("{/Alt}");
    expect(onPick.mock.calls.map((call) => call[2] as string)).toEqual(["only", "add", "exclude"]);
    expect(onExplain).not.toHaveBeenCalled();
    await user.click(screen.getByRole("button", { name: /^Lock:tuple/ }));
    expect(onExplain).toHaveBeenCalledWith("Lock:tuple");
  });

  it("is walked with the arrow keys, stopping at the edges and finding shorter columns", async () => {
    show();
    const at = () => [
      document.activeElement?.getAttribute("data-column"),
      document.activeElement?.getAttribute("data-place"),
    ];
    screen.getByRole("button", { name: /^Lock:tuple/ }).focus();
    await userEvent.keyboard("{ArrowUp}");
    expect(at()).toEqual(["0", "0"]);
    await userEvent.keyboard("{ArrowDown}{ArrowRight}");
    expect(at()).toEqual(["1", "1"]);
    await userEvent.keyboard("{ArrowRight}");
    expect(at()).toEqual(["2", "0"]);
    await userEvent.keyboard("{ArrowRight}");
    expect(at()).toEqual(["2", "0"]);
  });

  it("opens a statement, tells what is picked, and offers the rest", async () => {
    const { onOpen, onMore, onColumns } = show();
    await userEvent.click(screen.getByRole("button", { name: "open" }));
    expect(onOpen).toHaveBeenCalledWith("-42");
    expect(screen.getByRole("button", { name: /^b ?1\.00/ }).getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(screen.getByRole("button", { name: "5 more" }));
    expect(onMore).toHaveBeenCalled();
    await userEvent.click(screen.getByRole("button", { name: "remove Program" }));
    expect(onColumns).toHaveBeenCalledWith(["wait", "statement"]);
    await userEvent.click(screen.getByRole("button", { name: "move Statement to the left" }));
    expect(onColumns).toHaveBeenLastCalledWith(["wait", "statement", "program"]);
  });

  it("prints shares with their margin and the whole text on demand", () => {
    show();
    const button = screen.getByRole("button", { name: /^a ?3\.00/ });
    expect(button.textContent).toContain("75 ±6%");
    expect(button.getAttribute("title")).toContain("all of a");
    expect(button.getAttribute("title")).toContain("30 samples");
  });
});
