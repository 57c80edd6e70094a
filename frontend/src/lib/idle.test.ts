import { expect, test } from "vitest";

import { idleSeconds, watchForSomebody } from "./idle";

test("a page is idle from the last key or move on", () => {
  const listeners: Record<string, () => void> = {};
  watchForSomebody({
    addEventListener: (kind: string, act: unknown) => (listeners[kind] = act as () => void),
  });
  listeners.keydown?.();
  const now = Date.now();
  expect(idleSeconds(now)).toBe(0);
  expect(idleSeconds(now + 90_000)).toBe(90);
  expect(idleSeconds(now - 5000)).toBe(0);
});
