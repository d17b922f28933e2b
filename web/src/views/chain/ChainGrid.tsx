import type { RefObject } from 'react';
import type { Line, Mark } from '../../api/client';
import { ROW } from '../../chart/axis';
import { fixed } from '../../format';
import { useNarrow } from '../../ui/narrow';
import { Term } from '../../ui/terms';
import { ChainRow, type Cursor, type Held } from './ChainRow';
import { told, useShown, type Sides } from './columns';
import type { LegActs } from './LegTab';

/** Height of the heads of the columns, and of a block's own head where several are open. */
export const HEAD = 24;
/** Width of the columns beside the strikes, where legs and what is held stand, and of the strikes. */
const [LEGS, STRIKE] = [74, 58];

export type Block = { key: string; mark: Mark; rows: Line[] };

/** Where Tab comes into the rows: to the cursor, or before there is one to the ask nearest to the price. */
export function tabStop(
  blocks: Block[],
  cursor: Cursor | null,
  sides: Sides,
  level: number,
): Cursor | undefined {
  const here = blocks.find((b) => b.key === cursor?.key);
  if (cursor && here?.rows.some((r) => r.strike === cursor.strike)) return cursor;
  const [first] = blocks;
  const nearest = first?.rows.reduce<Line | undefined>(
    (best, r) => (best && Math.abs(best.at - level) <= Math.abs(r.at - level) ? best : r),
    undefined,
  );
  if (!first || !nearest) return undefined;
  const side = sides === 'puts' ? 'put' : 'call';
  return { key: first.key, strike: nearest.strike, side, what: 'ask' };
}

const head =
  'min-w-0 truncate px-[clamp(2px,0.47vw,6px)] text-right text-[12px] leading-6 font-normal whitespace-nowrap text-ink2';

/** The heads of the columns. Tab stops at those of one side: those of the other say the same. */
function Heads({ sides, crowded }: { sides: Sides; crowded: boolean }) {
  const { columns } = useShown();
  const of = (quiet: boolean) => [
    ...columns.map((key) => {
      const column = told(key);
      return (
        <div key={key} role="columnheader" className={head}>
          {column && (
            <Term of={column.term} quiet={quiet}>
              {column.head}
            </Term>
          )}
        </div>
      );
    }),
    ...(['bid', 'ask'] as const).map((what) => (
      <div key={what} role="columnheader" className={head}>
        <Term of={what} quiet={quiet} />
      </div>
    )),
  ];
  // Outermost first on the left; mirrored on the right, bid before ask on both.
  const mirrored = (all: ReturnType<typeof of>) => [
    ...all.slice(-2),
    ...all.slice(0, -2).reverse(),
  ];
  return (
    <div
      role="row"
      aria-rowindex={1}
      data-testid="chain-heads"
      className="sticky top-0 z-20 grid h-6 grid-cols-[var(--cells)] bg-ground shadow-[inset_0_-1px_0_var(--strong)]"
    >
      {sides !== 'puts' && of(false)}
      <div role="columnheader" className={`${head} text-left! font-semibold! text-ink!`}>
        {sides !== 'puts' ? (
          '◂ calls'
        ) : crowded ? (
          <Term of="noCalls" />
        ) : (
          <span className="sr-only">call leg</span>
        )}
      </div>
      <div role="columnheader" className={`${head} text-center!`}>
        <Term of="strike" />
      </div>
      <div role="columnheader" className={`${head} font-semibold! text-ink! max-md:px-0`}>
        {sides !== 'calls' ? 'puts ▸' : <span className="sr-only">put leg</span>}
      </div>
      {sides !== 'calls' && mirrored(of(sides === 'both'))}
    </div>
  );
}

type Props = {
  level: number;
  blocks: Block[];
  /** Top of each block, and the stretch worth drawing, in pixels. */
  tops: number[];
  seen: [number, number];
  sides: Sides;
  /** The calls gave way to what stands beside the rows. */
  crowded: boolean;
  held: Map<string, Held>;
  /** Where Tab comes in. */
  stop: Cursor | undefined;
  onCursor: (c: Cursor) => void;
  onTrade: (contract: string, quantity: number) => void;
  onClose: (key: string) => void;
  legActs: LegActs[];
  /** Where each block stands on the page. */
  places: RefObject<Map<string, HTMLElement>>;
  width: number;
};

/** The rows of contracts. Each row is laid out and painted by itself, so that a change of one costs no other. */
export function ChainGrid(p: Props) {
  const { columns } = useShown();
  const { blocks, sides } = p;
  const narrow = useNarrow();
  const several = blocks.length > 1;
  const side = `repeat(${columns.length + 2}, minmax(0, 1fr))`;
  // In one hand the column for legs of the other side gives way.
  const [calls, puts] = narrow ? (sides === 'calls' ? [56, 0] : [0, 56]) : [LEGS, LEGS];
  const cells = [
    sides === 'puts' ? '' : side,
    `${calls}px ${narrow ? 48 : STRIKE}px ${puts}px`,
    sides === 'calls' ? '' : side,
  ].join(' ');
  return (
    <div
      role="grid"
      aria-label={`Calls left, puts right, ${blocks.map((b) => `${b.mark.label}, ${b.mark.days} days`).join('; ')}`}
      aria-rowcount={blocks.reduce((n, b) => n + b.rows.length, 1)}
      className="text-[12.5px] max-md:text-[13px]"
      style={{ width: p.width, '--cells': cells } as React.CSSProperties}
    >
      <Heads sides={sides} crowded={p.crowded} />
      {blocks.map((b, i) => {
        const [from, to] = p.seen;
        const top = p.tops[i] ?? 0;
        const first = Math.min(b.rows.length, Math.max(0, Math.floor((from - top) / ROW)));
        const last = Math.max(first, Math.min(b.rows.length, Math.ceil((to - top) / ROW)));
        const acts = p.legActs[i];
        // Its number among all rows, the heads being the first.
        const place = blocks.slice(0, i).reduce((n, x) => n + x.rows.length, 2);
        return (
          <div
            key={b.key}
            role="rowgroup"
            ref={(at) => {
              if (at) p.places.current.set(b.key, at);
              return () => {
                p.places.current.delete(b.key);
              };
            }}
            data-block={b.key}
          >
            {several && (
              <div role="row" style={{ height: HEAD }} className="border-b border-hair bg-warm">
                <div role="rowheader" className="px-2 leading-6 font-semibold">
                  {b.mark.label} · {b.mark.days} d · {b.mark.cycle} · expected move ±
                  {fixed(b.mark.expectedMove, 2)}
                  <button
                    type="button"
                    aria-label={`close the rows of ${b.mark.label}`}
                    className="ml-2 px-1 text-ink2 hover:text-loss"
                    onClick={() => {
                      p.onClose(b.key);
                    }}
                  >
                    ×
                  </button>
                </div>
              </div>
            )}
            <div role="presentation" style={{ height: first * ROW }} />
            {acts &&
              b.rows
                .slice(first, last)
                .map((row, j) => (
                  <ChainRow
                    key={row.strike}
                    block={b.key}
                    place={place + first + j}
                    columns={columns}
                    sides={sides}
                    line={row}
                    callIn={row.at < p.level}
                    putIn={row.at > p.level}
                    cursor={p.stop?.key === b.key && p.stop.strike === row.strike ? p.stop : null}
                    onTrade={p.onTrade}
                    onCursor={p.onCursor}
                    callHeld={p.held.get(row.call)}
                    putHeld={p.held.get(row.put)}
                    legActs={acts}
                  />
                ))}
            <div role="presentation" style={{ height: (b.rows.length - last) * ROW }} />
          </div>
        );
      })}
    </div>
  );
}
