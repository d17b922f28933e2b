import { useEffect } from 'react';
import { evaluate } from '../../api/live';
import { draftOf } from '../../drafts/answer';
import { useDrafts } from '../../drafts/store';

/** Asks for the answer to the draft over the prices of the rows: at once when it is changed, before anything of the
 * change is drawn, and again with each second of the market. */
export function useAsking(symbol: string, ends: string | undefined, second: string | undefined) {
  useEffect(() => {
    const [low, high] = ends?.split(' ').map(Number) ?? [];
    const ask = () => {
      const s = useDrafts.getState();
      const { legs = [], entry } = draftOf(s, symbol) ?? {};
      evaluate(
        s.active,
        legs.length > 0 && low !== undefined
          ? { symbol, legs, entry: entry ?? 'middle', low, high }
          : null,
      );
    };
    ask();
    return useDrafts.subscribe((now, before) => {
      if (now.active !== before.active || now.drafts !== before.drafts) ask();
    });
  }, [symbol, ends, second]);
}
