import { DropdownMenu } from 'radix-ui';
import { Link } from 'react-router';
import type { ChainHead } from '../../api/client';
import { Freshness, RankedBy } from './Freshness';
import { Term } from '../../ui/terms';
import { fixed, percent } from '../../format';
import { money, tone } from '../../money';

/** The market in the underlying itself, and a menu that adds a lot of it to the draft. */
function Own({ head, onTrade }: Props) {
  const own = head.own;
  if (!own) return null;
  const lot = `${own.lot} ${own.word === 'shares' ? 'shares' : own.lot === 1 ? 'future' : 'futures'}`;
  const items: ['buy' | 'sell', string][] = [
    ['buy', own.ask],
    ['sell', own.bid],
  ];
  return (
    <span className="text-ink2">
      {own.word} bid <b className="text-ink tabular-nums">{own.bid}</b> ask{' '}
      <b className="text-ink tabular-nums">{own.ask}</b>{' '}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <button
            type="button"
            aria-label={`add ${own.word} to the draft`}
            className="rounded border border-strong bg-raised px-1 font-semibold text-ink hover:border-brass"
          >
            add ▾
          </button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            sideOffset={2}
            collisionPadding={8}
            className="z-50 rounded border border-strong bg-raised p-1 shadow-[var(--shadow)]"
          >
            {items.map(([side, price]) => (
              <DropdownMenu.Item
                key={side}
                className="cursor-default rounded px-2 py-0.5 outline-none data-[highlighted]:bg-brass-soft"
                onSelect={() => {
                  onTrade(head.symbol, side === 'buy' ? own.lot : -own.lot);
                }}
              >
                {side} {lot} at {price}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </span>
  );
}

type Props = { head: ChainHead; onTrade: (contract: string, quantity: number) => void };

export function SymbolHead({ head, onTrade }: Props) {
  const event = head.events[0];
  return (
    <div className="flex items-baseline gap-5 overflow-hidden px-4 pt-2 whitespace-nowrap max-lg:gap-3 max-md:flex-wrap max-md:gap-y-0 max-md:px-3">
      <h1 className="min-w-0 truncate font-serif text-[22px] leading-7">{head.name}</h1>
      <span className="font-semibold">{head.symbol}</span>
      <span data-testid="spot" className="text-[18px] font-semibold tabular-nums">
        {money(head.spot)}
      </span>
      <span className={tone(head.change)}>
        {money(head.change, true)} ({fixed(head.changePercent, 2, true)} %)
      </span>
      <Own head={head} onTrade={onTrade} />
      <Freshness symbol={head.symbol} />
      <span className="text-ink2">
        <Term of="implied">IV</Term> 30 d <b className="text-ink">{percent(head.vol30)} %</b>
        {head.rank != null && (
          <>
            {' '}
            <Term of="rank" /> <b className="text-ink">{fixed(head.rank, 0)}</b>{' '}
            <span className="max-[1100px]:hidden max-md:inline">
              <Term of="percentile" /> <b className="text-ink">{fixed(head.percentile, 0)}</b>
            </span>
            <RankedBy symbol={head.symbol} />
          </>
        )}
      </span>
      <span className="text-ink2 max-[1160px]:hidden">
        <Term of="realisedVolatility" />{' '}
        <b className="text-ink">
          {head.realised == null ? 'not known' : `${percent(head.realised)} %`}
        </b>
      </span>
      <Link
        to={`/scout/expect/${head.symbol}`}
        title="Draw where you expect the price, and find what makes most of it"
        className="text-brass underline max-md:hidden"
      >
        expect
      </Link>
      <span className="text-ink2 max-[1400px]:hidden">{head.terms}</span>
      {event && (
        <span
          className={`ml-auto shrink-0 font-semibold ${event.kind === 'news' ? 'text-loss' : ''}`}
        >
          <span aria-hidden>{event.kind === 'news' ? '◆ ' : '◇ '}</span>
          {event.what} {event.days === 0 ? 'today' : `in ${event.days} d`}
        </span>
      )}
    </div>
  );
}
