import { memo } from 'react';
import type { Cell, Column, Leg, Row } from '../../api/client';
import { ROW } from './axis';
import type { Sides } from './columns';

export type Cursor = { key: string; strike: string; side: 'call' | 'put'; what: 'bid' | 'ask' };
type Acts = {
  onTrade: (contract: string, quantity: number) => void;
  onCursor: (c: Cursor) => void;
  onDragLeg: (contract: string, e: React.PointerEvent) => void;
  onRemoveLeg: (contract: string) => void;
};
type Props = Acts & {
  block: string;
  columns: Column[];
  sides: Sides;
  row: Row;
  callIn: boolean;
  putIn: boolean;
  cursor: Cursor | null;
  callLeg?: Leg;
  putLeg?: Leg;
};

function PriceButton({
  block,
  cell,
  what,
  row,
  side,
  tint,
  cursor,
  onTrade,
  onCursor,
}: {
  cell: Cell;
  what: 'bid' | 'ask';
  row: Row;
  side: 'call' | 'put';
  tint: string;
  cursor: Cursor | null;
  block: string;
} & Acts) {
  const price = what === 'bid' ? cell.bid : cell.ask;
  const here = cursor?.strike === row.strike && cursor.side === side && cursor.what === what;
  const verb = what === 'bid' ? 'sell' : 'buy';
  return (
    <td className={`p-0 ${tint}`}>
      <button
        type="button"
        tabIndex={here ? 0 : -1}
        data-cell={`${row.strike}-${side}-${what}`}
        data-of={block}
        aria-label={`${verb} ${row.strike} ${side}${price ? ` at ${price}` : ', nobody bids'}`}
        title={`${what === 'bid' ? cell.bidSize : cell.askSize} contracts`}
        onFocus={() => {
          onCursor({ key: block, strike: row.strike, side, what });
        }}
        onClick={() => {
          onTrade(cell.contract, what === 'bid' ? -1 : 1);
        }}
        className="num h-[19px] w-full px-[clamp(2px,0.47vw,6px)] font-semibold hover:bg-brass-soft focus-visible:bg-brass-soft"
      >
        {price ? (
          <span className={row.moved?.cells.includes(`${side}-${what}`) ? 'moved' : undefined}>
            {price}
          </span>
        ) : (
          <span className="text-ink2">·</span>
        )}
      </button>
    </td>
  );
}

/** A notched tab at its row: pointing at the strike from the side of its right. */
function LegTab({
  leg,
  side,
  onDragLeg,
  onRemoveLeg,
}: { leg: Leg; side: 'call' | 'put' } & Pick<Acts, 'onDragLeg' | 'onRemoveLeg'>) {
  const bought = leg.quantity > 0;
  const notch =
    side === 'call'
      ? 'polygon(0 0, 88% 0, 100% 50%, 88% 100%, 0 100%)'
      : 'polygon(12% 0, 100% 0, 100% 100%, 12% 100%, 0 50%)';
  return (
    <button
      type="button"
      data-leg={leg.contract}
      onPointerDown={(e) => {
        onDragLeg(leg.contract, e);
      }}
      onDoubleClick={() => {
        onRemoveLeg(leg.contract);
      }}
      onKeyDown={(e) => {
        if (e.key === 'Delete' || e.key === 'Backspace') onRemoveLeg(leg.contract);
      }}
      aria-label={`${bought ? 'buy' : 'sell'} ${Math.abs(leg.quantity)} ${side}; drag to another strike, Delete removes`}
      style={{ clipPath: notch }}
      className={`h-[17px] w-full cursor-ns-resize touch-none text-[12px] leading-[17px] font-semibold ${bought ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`}
    >
      {bought ? 'buy' : 'sell'} {Math.abs(leg.quantity)}
    </button>
  );
}

const pad = 'px-[clamp(2px,0.47vw,6px)]';
const quiet = `num ${pad} text-ink2`;

export const ChainRow = memo(function ChainRow(p: Props) {
  const { row, callIn, putIn } = p;
  const acts = {
    block: p.block,
    cursor: p.cursor,
    onTrade: p.onTrade,
    onCursor: p.onCursor,
    onDragLeg: p.onDragLeg,
    onRemoveLeg: p.onRemoveLeg,
    row,
  };
  const [calls, puts] = [p.sides !== 'puts', p.sides !== 'calls'];
  // Outermost first on the left; mirrored on the right, unless the right stands alone.
  const values = (cell: Cell, tint: string, mirrored: boolean) => {
    const cells = p.columns.map((key, i) => (
      <td key={key} className={`${key === 'delta' ? `num ${pad}` : quiet} ${tint}`}>
        {cell.values[i]}
      </td>
    ));
    return mirrored ? cells.reverse() : cells;
  };
  const [callTint, putTint] = [callIn ? 'bg-warm' : '', putIn ? 'bg-warm' : ''];
  return (
    <tr className="border-b border-hair" style={{ height: ROW }}>
      {calls && values(row.call, callTint, false)}
      {calls && <PriceButton {...acts} tint={callTint} cell={row.call} what="bid" side="call" />}
      {calls && <PriceButton {...acts} tint={callTint} cell={row.call} what="ask" side="call" />}
      <td className={`p-0 pl-1 ${callTint}`}>
        {p.callLeg && <LegTab leg={p.callLeg} side="call" {...acts} />}
      </td>
      <th scope="row" className="border-x border-hair bg-warm text-center font-bold">
        {row.strike}
      </th>
      <td className={`p-0 pr-1 ${putTint}`}>
        {p.putLeg && <LegTab leg={p.putLeg} side="put" {...acts} />}
      </td>
      {puts && <PriceButton {...acts} tint={putTint} cell={row.put} what="bid" side="put" />}
      {puts && <PriceButton {...acts} tint={putTint} cell={row.put} what="ask" side="put" />}
      {puts && values(row.put, putTint, true)}
    </tr>
  );
});
