import type { ChainHead } from '../../api/client';
import { fixed, money, percent, tone } from '../../format';

export function SymbolHead({ head }: { head: ChainHead }) {
  const event = head.events[0];
  return (
    <div className="flex items-baseline gap-5 overflow-hidden px-4 pt-2 whitespace-nowrap">
      <h1 className="font-serif text-[22px] leading-7">{head.name}</h1>
      <span className="font-semibold">{head.symbol}</span>
      <span data-testid="spot" className="text-[18px] font-semibold tabular-nums">{money(head.spot)}</span>
      <span className={tone(head.change)}>{money(head.change, true)} ({fixed(head.changePercent, 2, true)} %)</span>
      <span className="text-ink2">IV 30 d <b className="text-ink">{percent(head.vol30)} %</b></span>
      <span className="text-ink2 max-[1160px]:hidden">realised 30 d <b className="text-ink">{percent(head.realised)} %</b></span>
      <span className="text-ink2 max-[1240px]:hidden">{head.terms}</span>
      {event && <span className="ml-auto font-semibold text-loss"><span aria-hidden>◆ </span>{event.what.replace('after the close', '')} in {event.days} d, after the close</span>}
    </div>
  );
}
