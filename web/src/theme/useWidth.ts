import { type RefObject, useLayoutEffect, useState } from "react";

/** Follows the width of an element in pixels; drawings are laid out in it, so that text keeps its size. */
export function useWidth(of: RefObject<Element | null>, first: number): number {
  const [width, setWidth] = useState(first);
  useLayoutEffect(() => {
    const element = of.current;
    if (!element) return;
    const seen = new ResizeObserver(([entry]) => {
      if (entry?.contentRect.width) setWidth(entry.contentRect.width);
    });
    seen.observe(element);
    return () => seen.disconnect();
  }, [of]);
  return width;
}
