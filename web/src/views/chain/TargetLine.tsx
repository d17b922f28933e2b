import { draftOf } from '../../drafts/answer';
import { change, useDrafts } from '../../drafts/store';
import { fixed } from '../../format';
import type { Axis } from '../../chart/axis';

/** The trader's own target as a line over the rows: dragged, or moved by the arrows. */
export function TargetLine({
  symbol,
  axis,
  width,
  picture,
}: {
  symbol: string;
  axis: Axis;
  width: number;
  picture: number;
}) {
  const target = useDrafts((s) => draftOf(s, symbol)?.target);
  if (!target) return null;
  const y = axis.y(target.price);
  if (y < 0 || y > axis.height) return null;
  const set = (price: number) => {
    change(symbol, (d) =>
      d.target
        ? { ...d, target: { ...d.target, price: Math.max(0.01, Math.round(price * 100) / 100) } }
        : d,
    );
  };
  const drag = (e: React.PointerEvent<HTMLElement>) => {
    e.preventDefault();
    const top =
      e.currentTarget.closest('[data-target]')?.parentElement?.getBoundingClientRect().top ?? 0;
    const move = (ev: PointerEvent) => {
      set(axis.price(Math.min(axis.height, Math.max(0, ev.clientY - top))));
    };
    const stop = () => {
      window.removeEventListener('pointermove', move);
      window.removeEventListener('pointerup', stop);
      window.removeEventListener('pointercancel', stop);
    };
    window.addEventListener('pointermove', move);
    window.addEventListener('pointerup', stop);
    window.addEventListener('pointercancel', stop);
  };
  const step = Math.abs(axis.price(0) - axis.price(4));
  return (
    <div data-target className="absolute left-0 z-10" style={{ top: y - 1, width }}>
      <div
        aria-hidden
        className="absolute right-0 border-t border-dashed border-brass"
        style={{ width: picture }}
      />
      <button
        type="button"
        role="slider"
        aria-label="my target"
        aria-valuenow={target.price}
        aria-valuetext={fixed(target.price, 2)}
        aria-orientation="vertical"
        onPointerDown={drag}
        onKeyDown={(e) => {
          const by = e.key === 'ArrowUp' ? step : e.key === 'ArrowDown' ? -step : 0;
          if (by !== 0) {
            e.preventDefault();
            e.stopPropagation();
            set(target.price + by);
          }
        }}
        style={{ left: width - picture + 4 }}
        className="pointer-events-auto absolute -top-[9px] cursor-ns-resize touch-none rounded border border-brass bg-raised px-1 text-[11px] leading-4 font-semibold text-brass"
      >
        target {fixed(target.price, 2)}
      </button>
    </div>
  );
}
