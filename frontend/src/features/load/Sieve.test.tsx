import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { byteColumns, countedWords, sessionColumns } from "./model";
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
  opens: value === "-42" ? "-42" : null,
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
  render(<Sieve found={sessionColumns(sieve)} columns={["wait", "program", "statement"]} {...acts} />);
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

  it("leaves a value out with Alt and Enter, as with Alt and a click", async () => {
    const { onPick } = show();
    screen.getByRole("button", { name: /^Lock:tuple/ }).focus();
    await userEvent.keyboard("{Alt>}{Enter}{/Alt}");
    expect(onPick).toHaveBeenCalledExactlyOnceWith("wait", "Lock:tuple", "exclude");
  });

  it("opens a statement, tells what is picked, and offers the rest", async () => {
    const { onOpen, onMore, onColumns } = show();
    await userEvent.click(screen.getByRole("button", { name: "open" }));
    expect(onOpen).toHaveBeenCalledWith("statement", "-42");
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

const moved: Schemas["BytesOut"] = {
  counted_s: 60,
  window_s: 60,
  processes: "seen",
  columns: [
    {
      dimension: "program",
      more: 0,
      rate: 3 * 1048576,
      not_at_work: 1048576,
      rows: [
        {
          value: "report",
          label: "report",
          full: "report",
          rate: 2 * 1048576,
          share: 2 / 3,
          by_kind: { data_io: 2 * 1048576 },
          picked: false,
        },
        {
          value: "checkpointer",
          label: "checkpointer",
          full: "checkpointer",
          rate: 1048576,
          share: 1 / 3,
          by_kind: {},
          picked: false,
        },
      ],
    },
    { dimension: "wait", more: 0, rate: 3 * 1048576, not_at_work: 1048576, rows: [] },
  ],
};

describe("Sieve ranked by bytes", () => {
  it("says bytes a second, and how much no sample saw at work where only work has a value", () => {
    const acts = { onPick: vi.fn(), onColumns: vi.fn(), onExplain: vi.fn(), onOpen: vi.fn(), onMore: vi.fn() };
    render(<Sieve found={byteColumns(moved, "read")} columns={["program", "wait"]} {...acts} />);
    expect(screen.getByRole("button", { name: /^report ?2\.00 MiB\/s 67%/ }).title).toContain(
      "67% of all that was read",
    );
    expect(screen.getByText("nothing read from the disks")).toBeTruthy();
    expect(screen.getAllByText(/sessions that rested/)).toHaveLength(1);
  });

  it("tells why nothing was counted, and when only a part was", () => {
    expect(countedWords(moved)).toBe("");
    expect(countedWords({ ...moved, counted_s: 30 })).toContain("50% of the window");
    expect(countedWords({ counted_s: 0, window_s: 60, processes: "elsewhere" })).toContain("not counted");
    expect(countedWords({ counted_s: 0, window_s: 60, processes: "refused" })).toContain("another account");
  });
});
