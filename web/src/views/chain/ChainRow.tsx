import { memo } from 'react';
import type { Cell, Leg, Row } from '../../api/client';
import { count, fixed, percent } from '../../format';
import { ROW } from './axis';

export type Cursor = { strike: string; side: 'call' | 'put'; what: 'bid' | 'ask' };
type Acts = {
  onTrade: (contract: string, quantity: number) => void;
  onCursor: (c: Cursor) => void;
  onDragLeg: (contract: string, e: React.PointerEvent) => void;
  onRemoveLeg: (contract: string) => void;
};
type Props = Acts & { row: Row; callIn: boolean; putIn: boolean; cursor: Cursor | null; callLeg?: Leg; putLeg?: Leg };

function PriceButton({ cell, what, row, side, tint, cursor, onTrade, onCursor }: { cell: Cell; what: 'bid' | 'ask'; row: Row; side: 'call' | 'put'; tint: string; cursor: Cursor | null } & Acts) {
  const price = what === 'bid' ? cell.bid : cell.ask;
  const here = cursor?.strike === row.strike && cursor.side === side && cursor.what === what;
  const verb = what === 'bid' ? 'sell' : 'buy';
  return (
    <td className={`p-0 ${tint}`}>
      <button type="button" tabIndex={here ? 0 : -1} data-cell={`${row.strike}-${side}-${what}`} aria-label={`${verb} ${row.strike} ${side}${price ? ` at ${price}` : ', nobody bids'}`}
        title={`${what === 'bid' ? cell.bidSize : cell.askSize} contracts`}
        onFocus={() => { onCursor({ strike: row.strike, side, what }); }}
        onClick={() => { onTrade(cell.contract, what === 'bid' ? -1 : 1); }}
        className="num h-[19px] w-full px-[clamp(2px,0.47vw,6px)] font-semibold hover:bg-brass-soft focus-visible:bg-brass-soft">
        {price ? <span className={row.moved?.cells.includes(`${side}-${what}`) ? 'moved' : undefined}>{price}</span> : <span className="text-ink2">·</span>}
      </button>
    </td>
  );
}

/** A notched tab at its row: pointing at the strike from the side of its right. */
function LegTab({ leg, side, onDragLeg, onRemoveLeg }: { leg: Leg; side: 'call' | 'put' } & Pick<Acts, 'onDragLeg' | 'onRemoveLeg'>) {
  const bought = leg.quantity > 0;
  const notch = side === 'call' ? 'polygon(0 0, 88% 0, 100% 50%, 88% 100%, 0 100%)' : 'polygon(12% 0, 100% 0, 100% 100%, 12% 100%, 0 50%)';
  return (
    <button type="button" data-leg={leg.contract} onPointerDown={(e) => { onDragLeg(leg.contract, e); }} onDoubleClick={() => { onRemoveLeg(leg.contract); }}
      onKeyDown={(e) => { if (e.key === 'Delete' || e.key === 'Backspace') onRemoveLeg(leg.contract); }}
      aria-label={`${bought ? 'buy' : 'sell'} ${Math.abs(leg.quantity)} ${side}; drag to another strike, Delete removes`} style={{ clipPath: notch }}
      className={`h-[17px] w-full cursor-ns-resize touch-none text-[12px] leading-[17px] font-semibold ${bought ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`}>
      {bought ? 'buy' : 'sell'} {Math.abs(leg.quantity)}
    </button>
  );
}

const pad = 'px-[clamp(2px,0.47vw,6px)]';
const quiet = `num ${pad} text-ink2`;

export const ChainRow = memo(function ChainRow(p: Props) {
  const { row, callIn, putIn } = p;
  const acts = { cursor: p.cursor, onTrade: p.onTrade, onCursor: p.onCursor, onDragLeg: p.onDragLeg, onRemoveLeg: p.onRemoveLeg, row };
  const data = (c: Cell) => ({ oi: count(c.openInterest), vol: count(c.volume), iv: percent(c.implied), delta: fixed(c.delta, 2) });
  const [call, put] = [data(row.call), data(row.put)];
  const [callTint, putTint] = [callIn ? 'bg-warm' : '', putIn ? 'bg-warm' : ''];
  return (
    <tr className="border-b border-hair" style={{ height: ROW }}>
      <td className={`${quiet} ${callTint}`}>{call.oi}</td>
      <td className={`${quiet} ${callTint}`}>{call.vol}</td>
      <td className={`${quiet} ${callTint}`}>{call.iv}</td>
      <td className={`num ${pad} ${callTint}`}>{call.delta}</td>
      <PriceButton {...acts} tint={callTint} cell={row.call} what="bid" side="call" />
      <PriceButton {...acts} tint={callTint} cell={row.call} what="ask" side="call" />
      <td className={`p-0 pl-1 ${callTint}`}>{p.callLeg && <LegTab leg={p.callLeg} side="call" {...acts} />}</td>
      <th scope="row" className="border-x border-hair bg-warm text-center font-bold">{row.strike}</th>
      <td className={`p-0 pr-1 ${putTint}`}>{p.putLeg && <LegTab leg={p.putLeg} side="put" {...acts} />}</td>
      <PriceButton {...acts} tint={putTint} cell={row.put} what="bid" side="put" />
      <PriceButton {...acts} tint={putTint} cell={row.put} what="ask" side="put" />
      <td className={`num ${pad} ${putTint}`}>{put.delta}</td>
      <td className={`${quiet} ${putTint}`}>{put.iv}</td>
      <td className={`${quiet} ${putTint}`}>{put.vol}</td>
      <td className={`${quiet} ${putTint} pr-3`}>{put.oi}</td>
    </tr>
  );
});
