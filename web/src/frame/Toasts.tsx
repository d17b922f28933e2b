import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { RUN } from '../api/base';
import type { Bell } from '../api/client';
import { useLive } from '../api/live';
import { bellsQuery } from '../api/queries';
import { notify, strike, useHeard } from './heard';

/** Most shown at once; the rest is among the bells. */
const MOST = 3;
/** Milliseconds that one stays. */
const STAYS = 7_000;

function Toast({ bell: b, gone }: { bell: Bell; gone: (id: number) => void }) {
  useEffect(() => {
    const timer = setTimeout(() => {
      gone(b.id);
    }, STAYS);
    return () => {
      clearTimeout(timer);
    };
  }, [b.id, gone]);
  return (
    <div
      className={`flex items-start gap-2 rounded border bg-raised px-3 py-2 shadow-[var(--shadow)] ${b.kind === 'deficit' || b.kind === 'refusal' ? 'border-loss' : 'border-brass'}`}
    >
      <span className="min-w-0 break-words">{b.says}</span>
      <button
        type="button"
        aria-label={`Close: ${b.says ?? ''}`}
        onClick={() => {
          gone(b.id);
        }}
        className="ml-auto rounded px-1 text-ink2 hover:text-ink"
      >
        ×
      </button>
    </div>
  );
}

/** Says what rang a moment ago, and goes by itself. The keyboard stays where it is: no layer of its own, so that Escape closes what it closed before. */
export function Toasts() {
  const bells = useQuery(bellsQuery).data;
  const rung = useRef<Set<number>>(undefined);
  const [shown, setShown] = useState<Bell[]>([]);
  const day = useLive((s) => s.clock?.now.slice(0, 10));
  const loud = bells?.filter((b) => b.rings).length;
  useEffect(() => {
    const place = RUN ? `${RUN} · ${day ?? ''} · rehearsal` : 'Pike Bell';
    document.title = loud ? `(${loud}) ${place}` : place;
  }, [loud, day]);
  useEffect(() => {
    if (!bells) return;
    const ringing = bells.filter((b) => b.rings);
    // What rang before the page was opened is among the bells.
    const before = rung.current ?? new Set(ringing.map((b) => b.id));
    const fresh = ringing.filter((b) => !before.has(b.id));
    rung.current = new Set([...before, ...fresh.map((b) => b.id)]);
    if (fresh.length === 0) return;
    setShown((s) => [...fresh, ...s].slice(0, MOST));
    const heard = useHeard.getState();
    if (heard.sound) strike();
    if (heard.notify) for (const b of fresh.slice(0, MOST)) notify(b.says ?? b.listens);
  }, [bells]);
  const [gone] = useState(() => (id: number) => {
    setShown((s) => s.filter((b) => b.id !== id));
  });
  return (
    <div
      role="status"
      aria-live="polite"
      aria-label="What rang just now"
      className="pointer-events-none fixed bottom-14 left-20 z-40 flex w-[360px] flex-col gap-2 [&>div]:pointer-events-auto"
    >
      {shown.map((b) => (
        <Toast key={b.id} bell={b} gone={gone} />
      ))}
    </div>
  );
}
