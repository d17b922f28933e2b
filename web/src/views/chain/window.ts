import { useEffect, useState } from 'react';
import { ROW } from '../../chart/axis';

/** Rows drawn beyond what is seen, and the step in which the window moves. */
const SPARE = 8;

/** Which stretch of a scrolled box is worth drawing, in pixels from its top. (Rows have one height, so no measuring is needed.) */
export function useWindow(box: React.RefObject<HTMLElement | null>): [number, number] {
  const [seen, setSeen] = useState<[number, number]>([0, 1_200]);
  useEffect(() => {
    const at = box.current;
    if (!at) return;
    const look = () => {
      const step = SPARE * ROW;
      const from = Math.floor(at.scrollTop / step) * step - step;
      const to = Math.ceil((at.scrollTop + at.clientHeight) / step) * step + step;
      setSeen((s) => (s[0] === from && s[1] === to ? s : [from, to]));
    };
    look();
    at.addEventListener('scroll', look, { passive: true });
    const watch = new ResizeObserver(look);
    watch.observe(at);
    return () => {
      at.removeEventListener('scroll', look);
      watch.disconnect();
    };
  }, [box]);
  return seen;
}
