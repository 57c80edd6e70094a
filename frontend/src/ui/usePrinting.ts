import { useEffect, useState } from "react";
import { flushSync } from "react-dom";

/** Whether the page is being printed, when all of it must be there and not only what is in sight. */
export function usePrinting(): boolean {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    // At once: the browser takes what is on the page as soon as this returns.
    const turn = (on: boolean) => () => flushSync(() => setPrinting(on));
    const [begin, end] = [turn(true), turn(false)];
    window.addEventListener("beforeprint", begin);
    window.addEventListener("afterprint", end);
    return () => {
      window.removeEventListener("beforeprint", begin);
      window.removeEventListener("afterprint", end);
    };
  }, []);
  return printing;
}
