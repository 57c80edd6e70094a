import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Rail } from "./Rail";

const HOUR = 3_600_000;
const NOW = new Date(2026, 2, 1, 12, 0).getTime();
const START = NOW - 10 * HOUR;

// jsdom lays nothing out: the rail is a thousand pixels wide, so that a pixel is 36 s.
beforeEach(() => {
  vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(1000);
  SVGElement.prototype.setPointerCapture = () => undefined;
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const load = {
  start: START,
  end: NOW,
  bucket_ms: HOUR,
  starts: Array.from({ length: 10 }, (_, i) => START + i * HOUR),
  gaps: [],
  groups: [{ key: "running", sessions: Array.from({ length: 10 }, () => 1) }],
};
const mark = { at: START + 2 * HOUR, until: START + 2 * HOUR, label: "deadlock", detail: "as the log tells" };

const show = () => {
  const [onWindow, onMark] = [vi.fn(), vi.fn()];
  render(
    <Rail
      load={load}
      window={{ from: START + 5 * HOUR, to: START + 6 * HOUR }}
      marks={[mark]}
      now={NOW}
      onWindow={onWindow}
      onMark={onMark}
    />,
  );
  return { onWindow, onMark, rail: screen.getByRole("img") };
};

const drag = (rail: HTMLElement, from: number, to: number): void => {
  fireEvent.pointerDown(rail, { clientX: from, pointerId: 1 });
  fireEvent.pointerMove(rail, { clientX: to, pointerId: 1 });
  fireEvent.pointerUp(rail, { clientX: to, pointerId: 1 });
};

describe("the rail", () => {
  it("moves the window by its middle, keeping its length", () => {
    const { onWindow, rail } = show();
    drag(rail, 550, 450);
    expect(onWindow).toHaveBeenCalledWith(START + 4 * HOUR, START + 5 * HOUR);
  });

  it("makes the window longer and shorter by its edges", () => {
    const { onWindow, rail } = show();
    drag(rail, 500, 300);
    expect(onWindow).toHaveBeenLastCalledWith(START + 3 * HOUR, START + 6 * HOUR);
    drag(rail, 600, 700);
    expect(onWindow).toHaveBeenLastCalledWith(START + 5 * HOUR, START + 7 * HOUR);
    drag(rail, 500, 900);
    const [from, to] = onWindow.mock.lastCall as [number, number];
    expect(to - from, "an edge never passes the other").toBe(10_000);
  });

  it("draws a new window beside the present one, in either direction", () => {
    const { onWindow, rail } = show();
    drag(rail, 100, 200);
    expect(onWindow).toHaveBeenLastCalledWith(START + HOUR, START + 2 * HOUR);
    drag(rail, 200, 100);
    expect(onWindow).toHaveBeenLastCalledWith(START + HOUR, START + 2 * HOUR);
  });

  it("puts a window of the present length around a click, never beyond now", () => {
    const { onWindow, rail } = show();
    drag(rail, 200, 200);
    expect(onWindow).toHaveBeenLastCalledWith(START + 1.5 * HOUR, START + 2.5 * HOUR);
    drag(rail, 999, 999);
    expect((onWindow.mock.lastCall as [number, number])[1]).toBe(NOW);
  });

  it("leaves the window alone when it is only touched", () => {
    const { onWindow, rail } = show();
    drag(rail, 550, 550);
    expect(onWindow).not.toHaveBeenCalled();
  });

  it("has a button for each mark, in its place, which does not move the window", async () => {
    const { onMark, onWindow } = show();
    const button = screen.getByRole("button", { name: /04:00:00 deadlock: as the log tells$/ });
    expect(button.style.left).toBe("188px");
    await userEvent.click(button);
    expect(onMark).toHaveBeenCalledWith(mark);
    expect(onWindow).not.toHaveBeenCalled();
  });

  it("is not flattened by one spike, and marks where it is cut off", () => {
    const sessions = Array.from({ length: 10 }, (_, i) => (i === 4 ? 400 : 1));
    const { container } = render(
      <Rail
        load={{ ...load, groups: [{ key: "running", sessions }] }}
        window={{ from: START + 5 * HOUR, to: START + 6 * HOUR }}
        marks={[]}
        now={NOW}
        onWindow={vi.fn()}
        onMark={vi.fn()}
      />,
    );
    expect(container.querySelectorAll("[data-rail-cut=up]")).toHaveLength(1);
    const tops = [
      ...(container.querySelector("path[opacity]")?.getAttribute("d") ?? "").matchAll(/M[\d.]+ ([\d.]+)H/g),
    ];
    const heights = tops.map((top) => Number(top[1]));
    expect(Math.min(...heights)).toBeGreaterThanOrEqual(0);
    const ordinary = Math.max(...heights);
    expect(ordinary).toBeLessThan(22); // an ordinary hour is still seen: a fourth of the picture and more
  });
});
