import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Density } from "./Density";

afterEach(cleanup);

// 500 executions of 1 to 10 ms, and 3 of 1 to 10 s that took nearly all of the time.
const found = {
  start: 0,
  end: 60_000,
  bucket_ms: 20_000,
  starts: [0, 20_000, 40_000],
  edges_ms: [1, 10, 100, 1000, 10_000],
  counts: [
    [100, 200, 200],
    [0, 0, 0],
    [0, 0, 0],
    [0, 3, 3],
  ],
  row_executions: [500, 0, 0, 3],
  row_total_ms: [1000, 0, 0, 9000],
  points: [],
};

function show(region: Parameters<typeof Density>[0]["region"] = null) {
  vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(800);
  vi.spyOn(HTMLElement.prototype, "clientHeight", "get").mockReturnValue(232);
  const onRegion = vi.fn();
  const { container } = render(
    <Density
      what="executions"
      found={found}
      marks={[]}
      reading="503 executions."
      now={60_000}
      region={region}
      onRegion={onRegion}
    />,
  );
  return { onRegion, container, chart: screen.getByRole("application") };
}

describe("Density", () => {
  it("shows in its ladder which class takes the time, and picks it over the whole window", () => {
    const { onRegion, container } = show();
    const rungs = [...container.querySelectorAll("[data-rung]")];
    expect(rungs.map((rung) => rung.querySelector("title")?.textContent)).toEqual([
      "1 ms to 10 ms: 500 executions, 1 s, 10% of all time",
      "1 s to 10 s: 3 executions, 9 s, 90% of all time",
    ]);
    fireEvent.click(rungs[1] as Element);
    expect(onRegion).toHaveBeenCalledExactlyOnceWith({ from: 0, to: 60_000, leastMs: 1000, mostMs: 10_000 });
  });

  it("lets a picked class go by a second press", () => {
    const { onRegion, container } = show({ from: 0, to: 60_000, leastMs: 1000, mostMs: 10_000 });
    fireEvent.click(container.querySelector("[data-rung='3']") as Element);
    expect(onRegion).toHaveBeenCalledExactlyOnceWith(null);
  });

  it("walks the classes that hold anything with Page Up and Page Down", async () => {
    const { onRegion, chart } = show({ from: 0, to: 60_000, leastMs: 1000, mostMs: 10_000 });
    chart.focus();
    await userEvent.keyboard("{PageDown}");
    expect(onRegion).toHaveBeenLastCalledWith({ from: 0, to: 60_000, leastMs: 1, mostMs: 10 });
    await userEvent.keyboard("{PageUp}");
    expect(onRegion).toHaveBeenLastCalledWith({ from: 0, to: 60_000, leastMs: 1000, mostMs: 10_000 });
  });

  it("draws a region with the arrow keys, moves either corner, and takes it with Enter", async () => {
    const { onRegion, chart, container } = show();
    chart.focus();
    await userEvent.keyboard("{ArrowDown}{Shift>}{ArrowRight}{/Shift}");
    expect(container.querySelectorAll("[data-region]")).toHaveLength(1);
    expect(onRegion).not.toHaveBeenCalled();
    await userEvent.keyboard("{Enter}");
    const [region] = onRegion.mock.calls[0] as [{ from: number; to: number; leastMs: number; mostMs: number }];
    expect(region.from).toBeGreaterThan(0);
    expect(region.to).toBe(60_000);
    expect(region.mostMs).toBeGreaterThan(10_000); // what touches the upper edge is meant whole
    await userEvent.keyboard("{ArrowDown}{Escape}");
    expect(onRegion).toHaveBeenLastCalledWith(null);
  });

  it("draws a region with the main button only, and never in the ladder", () => {
    const { onRegion, chart } = show();
    chart.setPointerCapture = () => undefined;
    const drag = (button: number, x: number) => {
      fireEvent.pointerDown(chart, { button, clientX: x, clientY: 40 });
      fireEvent.pointerMove(chart, { button, buttons: 1, clientX: x + 80, clientY: 120 });
      fireEvent.pointerUp(chart, { button });
    };
    drag(2, 100);
    drag(0, 720);
    expect(onRegion).not.toHaveBeenCalled();
    drag(0, 100);
    expect(onRegion).toHaveBeenCalledOnce();
  });

  it("tells under the pointer how many were running", () => {
    const { chart } = show();
    fireEvent.pointerMove(chart, { clientX: 350, clientY: 20 });
    expect(screen.getByText(/: 3 running$/)).toBeTruthy();
  });
});
