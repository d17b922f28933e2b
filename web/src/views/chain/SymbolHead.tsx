import type { ChainHead } from '../../api/client';
import { fixed, money, percent, tone } from '../../format';

/** The market in the underlying itself: the bid sells a lot of it, the ask buys one. */
function Own({ head, onTrade }: Props) {
  const own = head.own;
  if (!own) return null;
  const cell = (price: string, side: 'buy' | 'sell') => (
    <button
      type="button"
      aria-label={`${side} ${own.lot} ${own.word} at ${price}`}
      className="rounded px-1 font-semibold text-ink tabular-nums hover:bg-brass-soft"
      onClick={() => {
        onTrade(head.symbol, side === 'buy' ? own.lot : -own.lot);
      }}
    >
      {price}
    </button>
  );
  return (
    <span className="text-ink2">
      {own.word} {cell(own.bid, 'sell')}
      {cell(own.ask, 'buy')}
    </span>
  );
}

type Props = { head: ChainHead; onTrade: (contract: string, quantity: number) => void };

export function SymbolHead({ head, onTrade }: Props) {
  const event = head.events[0];
  return (
    <div className="flex items-baseline gap-5 overflow-hidden px-4 pt-2 whitespace-nowrap">
      <h1 className="font-serif text-[22px] leading-7">{head.name}</h1>
      <span className="font-semibold">{head.symbol}</span>
      <span data-testid="spot" className="text-[18px] font-semibold tabular-nums">
        {money(head.spot)}
      </span>
      <span className={tone(head.change)}>
        {money(head.change, true)} ({fixed(head.changePercent, 2, true)} %)
      </span>
      <Own head={head} onTrade={onTrade} />
      <span className="text-ink2">
        IV 30 d <b className="text-ink">{percent(head.vol30)} %</b>
        {head.rank != null && (
          <>
            {' '}
            rank <b className="text-ink">{fixed(head.rank, 0)}</b> pct{' '}
            <b className="text-ink">{fixed(head.percentile, 0)}</b>
          </>
        )}
      </span>
      <span className="text-ink2 max-[1160px]:hidden">
        realised 30 d <b className="text-ink">{percent(head.realised)} %</b>
      </span>
      <span className="text-ink2 max-[1240px]:hidden">{head.terms}</span>
      {event && (
        <span className={`ml-auto font-semibold ${event.kind === 'news' ? 'text-loss' : ''}`}>
          <span aria-hidden>{event.kind === 'news' ? '◆ ' : '◇ '}</span>
          {event.what} {event.days === 0 ? 'today' : `in ${event.days} d`}
        </span>
      )}
    </div>
  );
}
