import { useQuery } from '@tanstack/react-query';
import { Toast } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import type { Bell } from '../api/client';
import { bellsQuery } from '../api/queries';

/** Most shown at once; the rest is among the bells. */
const MOST = 3;

/** Says what rang a moment ago, and goes by itself. The keyboard stays where it is. */
export function Toasts() {
  const bells = useQuery(bellsQuery).data;
  const known = useRef<number>(undefined);
  const rung = useRef(new Set<number>());
  const [shown, setShown] = useState<Bell[]>([]);
  useEffect(() => {
    if (!bells) return;
    const ringing = bells.filter((b) => b.rings);
    // What rang before the page was opened is among the bells.
    if (known.current === undefined) ringing.forEach((b) => rung.current.add(b.id));
    known.current = bells.length;
    const fresh = ringing.filter((b) => !rung.current.has(b.id));
    fresh.forEach((b) => rung.current.add(b.id));
    if (fresh.length > 0) setShown((s) => [...fresh, ...s].slice(0, MOST));
  }, [bells]);
  return (
    <Toast.Provider swipeDirection="right" duration={7_000} label="Bell">
      {shown.map((b) => (
        <Toast.Root key={b.id} type="background" onOpenChange={(open) => { if (!open) setShown((s) => s.filter((x) => x.id !== b.id)); }}
          className={`flex items-start gap-2 rounded border bg-raised px-3 py-2 shadow-[var(--shadow)] ${b.kind === 'deficit' || b.kind === 'refusal' ? 'border-loss' : 'border-brass'}`}>
          <Toast.Description className="min-w-0 break-words">{b.says}</Toast.Description>
          <Toast.Close aria-label="Close" className="ml-auto rounded px-1 text-ink2 hover:text-ink">×</Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="fixed bottom-14 left-20 z-40 flex w-[360px] flex-col gap-2 outline-none" />
    </Toast.Provider>
  );
}
