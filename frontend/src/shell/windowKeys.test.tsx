import { cleanup, fireEvent, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { useWindowKeys } from "./windowKeys";

const NOW = 1_700_000_000_000;

describe("keys that move the window", () => {
  beforeEach(() => {
    vi.useFakeTimers({ now: NOW });
  });
  afterEach(() => {
    vi.useRealTimers();
    cleanup();
  });

  it("held down show few windows, add every step up, and leave one entry in the history", () => {
    const show = vi.fn();
    renderHook(() => useWindowKeys({ from: NOW - 200_000, to: NOW - 100_000 }, show));
    for (let i = 0; i < 30; i += 1) {
      fireEvent.keyDown(window, { key: "[" });
      vi.advanceTimersByTime(33);
    }
    vi.advanceTimersByTime(500);
    expect(show.mock.calls.length).toBeLessThanOrEqual(9);
    expect(show.mock.calls.map((call) => call[1] as boolean)).toEqual([
      false,
      ...show.mock.calls.slice(1).map(() => true),
    ]);
  });

  it("apart from each other are entries of their own", () => {
    const show = vi.fn();
    renderHook(() => useWindowKeys({ last: 600 }, show));
    fireEvent.keyDown(window, { key: "-" });
    vi.advanceTimersByTime(5000);
    fireEvent.keyDown(window, { key: "=" });
    vi.advanceTimersByTime(500);
    expect(show.mock.calls).toEqual([
      [{ last: 1200 }, false],
      [{ last: 300 }, false],
    ]);
  });
});
