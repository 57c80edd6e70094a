// @vitest-environment jsdom
import { renderHook } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import { useStill } from "./useStill";

describe("useStill", () => {
  it("holds while pointed at, follows when let go, and lets another question through", () => {
    const { result, rerender } = renderHook(({ v, held, about }) => useStill(v, held, about), {
      initialProps: { v: 1, held: false, about: "a" },
    });
    rerender({ v: 2, held: true, about: "a" });
    expect(result.current).toBe(1);
    rerender({ v: 3, held: true, about: "b" });
    expect(result.current).toBe(3);
    rerender({ v: 4, held: true, about: "b" });
    expect(result.current).toBe(3);
    rerender({ v: 5, held: false, about: "b" });
    expect(result.current).toBe(5);
  });

  it("never holds nothing: what comes first is shown, wherever the pointer rests", () => {
    const { result, rerender } = renderHook(({ v, held }) => useStill(v, held, "a"), {
      initialProps: { v: undefined as number | undefined, held: false },
    });
    rerender({ v: undefined, held: true });
    rerender({ v: 1, held: true });
    expect(result.current).toBe(1);
    rerender({ v: 2, held: true });
    expect(result.current).toBe(1);
  });
});
