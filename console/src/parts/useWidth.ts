import { useLayoutEffect, useState } from "react";

/** How wide an element is, in pixels; until it is there, how wide the window is. The first is to be its ref. */
export function useWidth(): [(element: HTMLElement | null) => void, number] {
  const [element, setElement] = useState<HTMLElement | null>(null);
  const [width, setWidth] = useState(innerWidth);
  useLayoutEffect(() => {
    if (!element) return;
    const resized = new ResizeObserver(() => setWidth(element.clientWidth));
    resized.observe(element);
    return () => resized.disconnect();
  }, [element]);
  return [setElement, width];
}
