import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Bell } from '../../api/client';
import { bellsQuery } from '../../api/queries';
import { fixed } from '../../format';
import type { Axis } from '../../chart/axis';

const rounded = (price: number) => Math.max(0.01, Math.round(price * 100) / 100);

/** The line runs through the picture alone: numbers that are struck through are hard to read. */
type Place = { axis: Axis; width: number; picture: number };

function BellLine({ bell, axis, width, picture }: { bell: Bell } & Place) {
  const client = useQueryClient();
  // Where it is being dragged to; it is set there once it is let go.
  const [held, setHeld] = useState<number>();
  const again = async () => {
    await client.invalidateQueries({ queryKey: ['bells'] });
    setHeld(undefined);
  };
  const move = useMutation({
    mutationFn: async (level: number) =>
      must(
        await api.PUT('/api/bells/{id}', {
          params: { path: { id: bell.id } },
          body: { level: String(level) },
        }),
      ),
    onSettled: again,
  });
  const remove = useMutation({
    mutationFn: async () => {
      must(await api.DELETE('/api/bells/{id}', { params: { path: { id: bell.id } } }));
    },
    onSettled: again,
  });
  const level = held ?? Number(bell.level);
  const y = axis.y(level);
  if (y < 0 || y > axis.height) return null;
  const drag = (e: React.PointerEvent<HTMLElement>) => {
    e.preventDefault();
    const top =
      e.currentTarget.closest('[data-bell]')?.parentElement?.getBoundingClientRect().top ?? 0;
    let last: number | undefined;
    const go = (ev: PointerEvent) => {
      last = rounded(axis.price(Math.min(axis.height, Math.max(0, ev.clientY - top))));
      setHeld(last);
    };
    const stop = () => {
      window.removeEventListener('pointermove', go);
      window.removeEventListener('pointerup', stop);
      window.removeEventListener('pointercancel', stop);
      if (last !== undefined) move.mutate(last);
    };
    window.addEventListener('pointermove', go);
    window.addEventListener('pointerup', stop);
    window.addEventListener('pointercancel', stop);
  };
  const step = Math.abs(axis.price(0) - axis.price(4));
  const key = (e: React.KeyboardEvent) => {
    const by = e.key === 'ArrowUp' ? step : e.key === 'ArrowDown' ? -step : 0;
    if (by === 0 && e.key !== 'Delete') return;
    e.preventDefault();
    e.stopPropagation();
    if (by === 0) remove.mutate();
    else {
      const to = rounded(level + by);
      setHeld(to);
      move.mutate(to);
    }
  };
  const trouble = move.error?.message;
  return (
    <div data-bell={bell.id} className="absolute left-0 z-10" style={{ top: y - 1, width }}>
      <div
        aria-hidden
        className="absolute right-0 border-t border-dotted border-slate"
        style={{ width: picture }}
      />
      <button
        type="button"
        role="slider"
        aria-label={`bell, ${bell.listens}`}
        title={trouble ?? 'drag, or arrows; Delete takes it away'}
        aria-valuenow={level}
        aria-valuetext={fixed(level, 2)}
        aria-orientation="vertical"
        onPointerDown={drag}
        onKeyDown={key}
        className={`pointer-events-auto absolute -top-[9px] right-1 cursor-ns-resize touch-none rounded border bg-raised px-1 text-[11px] leading-4 font-semibold ${trouble ? 'border-loss text-loss' : 'border-strong text-ink2'}`}
      >
        bell {fixed(level, 2)}
      </button>
    </div>
  );
}

/** Bells on the price of this underlying as lines over the rows: dragged, moved by the arrows, taken away by Delete. */
export function BellLines({ symbol, ...place }: { symbol: string } & Place) {
  const bells = useQuery(bellsQuery).data ?? [];
  return bells
    .filter((b) => b.isSet && b.symbol === symbol && b.level != null)
    .map((b) => <BellLine key={b.id} bell={b} {...place} />);
}
