import { type KeyboardEvent, useState } from "react";

const STEPS: Readonly<Record<string, number>> = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 };

interface Cursor {
  readonly cursor: number | null;
  readonly point: (at: number | null) => void;
  /** For the chart's svg: arrow keys walk its points, leaving it takes the cursor away. */
  readonly keys: {
    readonly role: "application";
    readonly tabIndex: 0;
    readonly onKeyDown: (event: KeyboardEvent) => void;
    readonly onBlur: () => void;
    readonly onPointerLeave: () => void;
  };
}

/** Which of a chart's points is read out, by pointer or by key. */
export function useCursor(count: number): Cursor {
  const [cursor, point] = useState<number | null>(null);
  return {
    cursor: cursor !== null && cursor < count ? cursor : null,
    point,
    keys: {
      role: "application",
      tabIndex: 0,
      onKeyDown: (event) => {
        const step = STEPS[event.key];
        if (step === undefined || count === 0) return;
        event.preventDefault();
        point((old) => (old === null ? (step > 0 ? 0 : count - 1) : (old + step + count) % count));
      },
      onBlur: () => point(null),
      onPointerLeave: () => point(null),
    },
  };
}
