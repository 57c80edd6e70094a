import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { WindowPicker } from "./WindowPicker";

afterEach(cleanup);

const NOW = new Date(2026, 10, 23, 14, 5, 0).getTime();

function show(spec: { last: number } | { from: number; to: number }) {
  const onWindow = vi.fn();
  render(<WindowPicker spec={spec} now={NOW} onWindow={onWindow} />);
  return onWindow;
}

describe("WindowPicker", () => {
  it("says the window, steps it, and chooses common spans", async () => {
    const onWindow = show({ last: 900 });
    expect(screen.getByRole("button", { name: "13:50 – 14:05 today" })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "earlier" }));
    expect(onWindow).toHaveBeenLastCalledWith({ from: NOW - 1_350_000, to: NOW - 450_000 });
    await userEvent.click(screen.getByRole("button", { name: "1 h" }));
    expect(onWindow).toHaveBeenLastCalledWith({ last: 3600 });
  });

  it("returns to now with the same length", async () => {
    const onWindow = show({ from: NOW - 7_200_000, to: NOW - 6_900_000 });
    const follow = screen.getByRole("button", { name: "follow now" });
    expect(follow.getAttribute("aria-pressed")).toBe("false");
    await userEvent.click(follow);
    expect(onWindow).toHaveBeenLastCalledWith({ last: 300 });
  });

  it("takes exact times and says what is wrong with those that are none", async () => {
    const onWindow = show({ last: 900 });
    await userEvent.click(screen.getByRole("button", { name: /today/ }));
    const [from, to] = [await screen.findByLabelText("from", {}, { timeout: 5000 }), screen.getByLabelText("to")];
    await userEvent.clear(from);
    await userEvent.type(from, "half past nine");
    await userEvent.click(screen.getByRole("button", { name: "show" }));
    expect(screen.getByRole("alert").textContent).toContain("is not a moment");
    await userEvent.clear(from);
    await userEvent.type(from, "2026-11-23 09:20");
    await userEvent.clear(to);
    await userEvent.type(to, "2026-11-23 09:10");
    await userEvent.click(screen.getByRole("button", { name: "show" }));
    expect(screen.getByRole("alert").textContent).toContain("after the start");
    await userEvent.clear(to);
    await userEvent.type(to, "2026-11-23 09:50:30");
    await userEvent.click(screen.getByRole("button", { name: "show" }));
    const day = (h: number, m: number, s = 0) => new Date(2026, 10, 23, h, m, s).getTime();
    expect(onWindow).toHaveBeenLastCalledWith({ from: day(9, 20), to: day(9, 50, 30) });
  });
});
