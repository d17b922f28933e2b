import { memo } from 'react';
import { Link } from 'react-router';
import { useLive } from '../../api/live';
import type { Cell, Column, Leg, Line, Row } from '../../api/client';
import { useDrafts } from '../../drafts/store';
import type { Sides } from './columns';
import { count, fixed } from '../../format';
import { money } from '../../money';
import { LegTab, type LegActs } from './LegTab';

export type Cursor = { key: string; strike: string; side: 'call' | 'put'; what: 'bid' | 'ask' };
type Acts = {
  onTrade: (contract: string, quantity: number) => void;
  onCursor: (c: Cursor) => void;
};
/** What is held of a contract over all campaigns. */
export type Held = { quantity: number; openedAt: string; label: string; campaign: number };
type Props = Acts & {
  block: string;
  /** Its number among all rows, the heads being the first. */
  place: number;
  columns: Column[];
  sides: Sides;
  line: Line;
  callIn: boolean;
  putIn: boolean;
  cursor: Cursor | null;
  legActs: LegActs;
  callHeld?: Held;
  putHeld?: Held;
};

/** How a price that moved a moment ago is marked: a line above it has risen, below it has fallen. */
function wayOf(row: Row, cell: string): string | undefined {
  const moved = row.moved?.cells;
  if (moved === undefined) return undefined;
  if (moved.includes(`${cell}↑`)) return 'risen';
  return moved.includes(`${cell}↓`) ? 'fallen' : undefined;
}

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
  const size = what === 'bid' ? cell.bidSize : cell.askSize;
  const here = cursor?.strike === row.strike && cursor.side === side && cursor.what === what;
  const verb = what === 'bid' ? 'sell' : 'buy';
  return (
    <div role="gridcell" className={tint}>
      <button
        type="button"
        tabIndex={here ? 0 : -1}
        data-cell={`${row.strike}-${side}-${what}`}
        data-of={block}
        aria-label={`${verb} ${row.strike} ${side}${price ? ` at ${price}` : what === 'bid' ? ', nobody bids' : ', nobody asks'}${cell.doubt ? `, ${cell.doubt}` : ''}`}
        title={cell.doubt ?? (size == null ? 'size not known' : `${count(size)} contracts`)}
        onFocus={() => {
          onCursor({ key: block, strike: row.strike, side, what });
        }}
        onClick={() => {
          onTrade(cell.contract, what === 'bid' ? -1 : 1);
        }}
        className="num h-[19px] w-full px-[clamp(2px,0.47vw,6px)] font-semibold hover:bg-brass-soft focus-visible:bg-brass-soft focus-visible:outline-offset-[-2px]"
      >
        {price ? (
          <span
            className={
              cell.doubt ? 'text-loss underline decoration-dotted' : wayOf(row, `${side}-${what}`)
            }
          >
            {price}
          </span>
        ) : (
          <span className="text-ink2">·</span>
        )}
      </button>
    </div>
  );
}

/** What is held of a contract, at its row: so many at the average price of their opening. */
function HeldMark({ held, beside }: { held: Held; beside: boolean }) {
  const [n, price] = [fixed(held.quantity, 0, true), money(held.openedAt)];
  return (
    <Link
      to={`/campaign/${held.campaign}`}
      tabIndex={-1}
      data-held
      title={`held: ${held.label}; to its campaign`}
      className={`block truncate rounded-sm border border-dashed border-ink2 bg-ground px-0.5 text-center text-[11px] leading-[15px] ${beside ? 'w-6 shrink-0' : ''}`}
    >
      {beside || price === '' ? n : `${n} at ${price}`}
      <span className="sr-only"> held</span>
    </Link>
  );
}

/** The leg of the draft in a contract, and what is held of it. */
function LegCell({
  leg,
  held,
  side,
  acts,
}: {
  leg: Leg | undefined;
  held: Held | undefined;
  side: 'call' | 'put';
  acts: LegActs;
}) {
  return (
    <div
      className={`relative flex items-center gap-0.5 ${side === 'put' ? 'flex-row-reverse' : ''}`}
    >
      {held && (
        <div className={leg ? '' : 'w-full'}>
          <HeldMark held={held} beside={leg !== undefined} />
        </div>
      )}
      {leg && <LegTab leg={leg} side={side} acts={acts} />}
    </div>
  );
}

const pad = 'px-[clamp(2px,0.47vw,6px)]';
const quiet = `num ${pad} text-ink2`;

/** The leg of the draft in a contract. */
const useLeg = (contract: string) =>
  useDrafts((s) => s.drafts[s.active]?.legs.find((l) => l.contract === contract));

export const ChainRow = memo(function ChainRow(p: Props) {
  const { callIn, putIn } = p;
  // A row follows its own prices: a change of one draws no other.
  const row = useLive((s) => s.rows[p.block]?.[p.line.index]);
  const [callLeg, putLeg] = [useLeg(p.line.call), useLeg(p.line.put)];
  if (row?.strike !== p.line.strike) return null;
  const acts = {
    block: p.block,
    cursor: p.cursor,
    onTrade: p.onTrade,
    onCursor: p.onCursor,
    row,
  };
  const [calls, puts] = [p.sides !== 'puts', p.sides !== 'calls'];
  // Outermost first on the left; mirrored on the right, unless the right stands alone.
  const values = (cell: Cell, tint: string, mirrored: boolean) => {
    const cells = p.columns.map((key, i) => (
      <div
        key={key}
        role="gridcell"
        className={`${key === 'delta' ? `num ${pad}` : quiet} ${tint}`}
      >
        {cell.values[i]}
      </div>
    ));
    return mirrored ? cells.reverse() : cells;
  };
  const [callTint, putTint] = [callIn ? 'bg-warm' : '', putIn ? 'bg-warm' : ''];
  return (
    <div
      role="row"
      aria-rowindex={p.place}
      className="grid h-5 grid-cols-[var(--cells)] border-b border-hair leading-[19px] [contain:strict]"
    >
      {calls && values(row.call, callTint, false)}
      {calls && <PriceButton {...acts} tint={callTint} cell={row.call} what="bid" side="call" />}
      {calls && <PriceButton {...acts} tint={callTint} cell={row.call} what="ask" side="call" />}
      <div role="gridcell" className={`overflow-hidden pl-1 max-md:pl-0 ${callTint}`}>
        {(callLeg ?? p.callHeld) && (
          <LegCell leg={callLeg} held={p.callHeld} side="call" acts={p.legActs} />
        )}
      </div>
      <div
        role="rowheader"
        data-strike={row.strike}
        className="border-x border-hair bg-warm text-center font-bold"
      >
        {row.strike}
      </div>
      <div role="gridcell" className={`overflow-hidden pr-1 max-md:pr-0 ${putTint}`}>
        {(putLeg ?? p.putHeld) && (
          <LegCell leg={putLeg} held={p.putHeld} side="put" acts={p.legActs} />
        )}
      </div>
      {puts && <PriceButton {...acts} tint={putTint} cell={row.put} what="bid" side="put" />}
      {puts && <PriceButton {...acts} tint={putTint} cell={row.put} what="ask" side="put" />}
      {puts && values(row.put, putTint, true)}
    </div>
  );
});
