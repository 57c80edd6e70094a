import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import { Bars } from "./Bars";

// jsdom lays nothing out, so the chart is told how wide it is.
beforeEach(() => vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(690));
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const show = (stacked: boolean): HTMLElement => {
  render(
    <Bars
      title="executions"
      rows={["web", "gate"]}
      columns={["quick", "slow"]}
      cells={[
        [3, 1],
        [null, 2],
      ]}
      stacked={stacked}
      ordered
      say={(value) => `${value} runs`}
      table={() => ({ columns: [], rows: [] })}
    />,
  );
  return screen.getByRole("application");
};

it("says the largest, and reads piece by piece by arrow keys", () => {
  const chart = show(true);
  expect(chart.getAttribute("aria-label")).toContain("most: web, quick, 3 runs");
  const told = ["ArrowRight", "ArrowRight", "ArrowDown", "ArrowRight", "ArrowLeft"].map((key) => {
    fireEvent.keyDown(chart, { key });
    return document.querySelector("[aria-live]")?.textContent;
  });
  expect(told).toEqual([
    "web, quick: 3 runs",
    "web, slow: 1 runs",
    "gate, slow: 2 runs",
    "web, quick: 3 runs",
    "gate, slow: 2 runs",
  ]);
});

it("tells the whole of a row that adds up, and each figure of one that does not", () => {
  show(true);
  expect(screen.getByText("4 runs")).toBeTruthy();
  cleanup();
  show(false);
  expect(screen.queryByText("4 runs")).toBeNull();
  expect(screen.getByText("3 runs quick")).toBeTruthy();
});
