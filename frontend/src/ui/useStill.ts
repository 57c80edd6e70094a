import { useState } from "react";

/** The latest value, but the one before as long as `held`: so that nothing moves under a pointer. */
export function useStill<T>(value: T, held: boolean): T {
  const [still, setStill] = useState(value);
  if (!held && still !== value) {
    setStill(value);
    return value;
  }
  return held ? still : value;
}
