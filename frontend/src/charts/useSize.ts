import { type RefCallback, useCallback, useState } from "react";

/** Width and height of an element in pixels, kept up to date, also when it goes and another one comes in its place. */
export function useSize<T extends HTMLElement>(): [RefCallback<T>, { width: number; height: number }] {
  const [size, setSize] = useState({ width: 0, height: 0 });
  const watch = useCallback((element: T | null) => {
    if (!element) return undefined;
    const measure = (): void => {
      const { clientWidth: width, clientHeight: height } = element;
      setSize((old) => (old.width === width && old.height === height ? old : { width, height }));
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, []);
  return [watch, size];
}
