import type { Evaluation } from '../../api/client';
import { Term } from '../../ui/terms';
import { useLook } from './look';

const tail = (text: string) => text.replaceAll('.00', '');

/** Over the picture: what happens beyond its top, and which line is which. */
export function OutlineHead({ evaluation: e, ghost }: { evaluation?: Evaluation; ghost: boolean }) {
  const rising = useLook((s) => s.rising);
  if (!e)
    return (
      <span className="truncate px-2 text-ink2">
        profit and loss of the draft, on the same price axis
      </span>
    );
  return (
    <span className="flex w-full justify-between overflow-hidden px-2 whitespace-nowrap">
      <span data-testid="tail-above" className="truncate">
        {tail(rising ? e.tailBelow : e.tailAbove)}
      </span>
      <span className="text-ink2 max-md:hidden">
        <span aria-hidden className="text-ink">
          ━{' '}
        </span>
        {e.estimate ? 'about, ' : ''}
        {e.legs.some((l) => l.expiry) ? `at ${e.days} d` : 'at any time'}{' '}
        <span aria-hidden className="pl-1 text-brass">
          ━{' '}
        </span>
        <Term of="todayLine">today</Term>
        {ghost && (
          <>
            <span aria-hidden className="pl-1">
              ┅{' '}
            </span>
            <Term of="ghost" />
          </>
        )}
      </span>
    </span>
  );
}

/** Under the picture: what happens beyond its foot. */
export function OutlineFoot({ evaluation: e }: { evaluation?: Evaluation }) {
  const rising = useLook((s) => s.rising);
  return (
    <div
      data-testid="tail-below"
      className="sticky bottom-0 z-20 h-[22px] truncate leading-[22px] border-t border-hair bg-raised px-2 text-[12px]"
    >
      {e && tail(rising ? e.tailAbove : e.tailBelow)}
    </div>
  );
}
