import { cleanup, fireEvent, renderHook } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { switchShortcuts, useShortcuts } from "./useShortcuts";

afterEach(() => {
  cleanup();
  switchShortcuts(true);
  document.body.innerHTML = "";
});

const listening = () => {
  const act = vi.fn();
  renderHook(() => useShortcuts({ "[": act }));
  return act;
};

describe("single keys", () => {
  it("act, also where the layout needs AltGr for them, and not as part of a command", () => {
    const act = listening();
    fireEvent.keyDown(window, { key: "[" });
    fireEvent.keyDown(window, { key: "[", ctrlKey: true, altKey: true, modifierAltGraph: true });
    expect(act).toHaveBeenCalledTimes(2);
    fireEvent.keyDown(window, { key: "[", ctrlKey: true });
    fireEvent.keyDown(window, { key: "[", altKey: true });
    fireEvent.keyDown(window, { key: "[", metaKey: true });
    expect(act).toHaveBeenCalledTimes(2);
  });

  it("do not act while one types", () => {
    const act = listening();
    const field = document.body.appendChild(document.createElement("input"));
    fireEvent.keyDown(field, { key: "[" });
    expect(act).not.toHaveBeenCalled();
  });

  it("can be switched off, and on again", () => {
    const act = listening();
    switchShortcuts(false);
    fireEvent.keyDown(window, { key: "[" });
    expect(act).not.toHaveBeenCalled();
    switchShortcuts(true);
    fireEvent.keyDown(window, { key: "[" });
    expect(act).toHaveBeenCalledOnce();
  });

  it("are left to others where the act says that it is none of its own", () => {
    const others = listening();
    const mine = vi.fn().mockReturnValueOnce(false);
    renderHook(() => useShortcuts({ "[": mine }, true));
    fireEvent.keyDown(document.body, { key: "[" });
    expect(others).toHaveBeenCalledOnce();
    fireEvent.keyDown(document.body, { key: "[" });
    expect(mine).toHaveBeenCalledTimes(2);
    expect(others).toHaveBeenCalledOnce();
  });
});
