import { useCallback, useRef, useState } from 'react';

/** The width of an element, followed as it changes: the function is its reference. */
export function useMeasured(usual = 640): [(element: HTMLElement | null) => void, number] {
  const [width, setWidth] = useState(usual);
  const watch = useRef<ResizeObserver>(undefined);
  const measure = useCallback((element: HTMLElement | null) => {
    watch.current?.disconnect();
    if (!element) return;
    watch.current = new ResizeObserver(([e]) => {
      if (e) setWidth(Math.floor(e.contentRect.width));
    });
    watch.current.observe(element);
  }, []);
  return [measure, width];
}
