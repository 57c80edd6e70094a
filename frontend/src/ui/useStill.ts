import { useState } from "react";

/**
 * The latest value, but the one before as long as `held`: so that nothing moves under a pointer.
 * A change of `about` (another question was asked) is let through at once.
 */
export function useStill<T>(value: T, held: boolean, about: string): T {
  const [still, setStill] = useState({ value, about });
  // Nothing is no picture to hold still: a pointer that rests where a page has just come up would keep it empty for good.
  if (held && still.about === about && still.value !== undefined) return still.value;
  if (still.value !== value || still.about !== about) setStill({ value, about });
  return value;
}
