import { useEffect, useMemo, useRef, useState } from 'react';
import type { ChainHead, Draft, Line, PackageLine } from '../../api/client';
import { isOption, parts, withStrike } from '../../drafts/contract';
import { laterLeg, more, moveLeg, remove, stepLeg, swapKind, turnLeg } from '../../drafts/moves';
import { useAnswer } from '../../drafts/answer';
import { change } from '../../drafts/store';
import { makeAxis, ROW, type Axis } from '../../chart/axis';
import { ChainGrid, HEAD, tabStop, type Block } from './ChainGrid';
import type { Cursor } from './ChainRow';
import { useNarrow } from '../../ui/narrow';
import { useShown } from './columns';
import { useHeld } from './held';
import type { LegActs } from './LegTab';
import { HistoryPane } from '../../chart/HistoryPane';
import { HistoryFoot, HistoryHead } from './HistoryEdges';
import { RowLines } from './Lines';
import { useLook } from './look';
import { BellLines } from './BellLines';
import { PackageTable } from './PackageTable';
import { PictureColumn } from './PictureColumn';
import { SmileHead, SmilePane } from './SmilePane';
import { TargetLine } from './TargetLine';
import { useWindow } from './window';

const NO_ROWS: Line[] = [];
/** Width of the picture: a little under a third. */
const pictureOf = (width: number) => Math.round(Math.min(560, width * 0.306));
/** From this width on calls and puts stand beside the history; below it stands in place of the calls. */
const WIDE = 1500;
type Props = {
  head: ChainHead;
  /** One for each open expiration, the chosen one first. */
  blocks: Block[];
  cursor: Cursor | null;
  onCursor: (c: Cursor) => void;
  onTrade: (contract: string, quantity: number) => void;
  onClose: (key: string) => void;
  /** In place of contracts, in the chosen expiration. */
  packages?: PackageLine[];
};

/** Follows the pointer over the rows of a block and moves a leg to the strike under it. */
function dragLeg(
  symbol: string,
  axis: Axis,
  top: () => number,
  contract: string,
  start: React.PointerEvent,
) {
  if (start.button !== 0) return;
  let moving = contract;
  const onMove = (e: PointerEvent) => {
    const index = Math.min(
      axis.strikes.length - 1,
      Math.max(0, Math.floor((e.clientY - top()) / ROW)),
    );
    const strike = axis.strikes[index];
    if (strike === undefined) return;
    change(symbol, (d) => {
      const target = withStrike(moving, strike);
      // A leg dragged over another of its kind passes behind it: it does not merge on the way.
      if (d.legs.some((l) => l.contract === target)) return d;
      const next = moveLeg(d, moving, strike);
      if (next !== d) moving = target;
      return next;
    });
  };
  const stop = () => {
    window.removeEventListener('pointermove', onMove);
    window.removeEventListener('pointerup', stop);
    window.removeEventListener('pointercancel', stop);
  };
  window.addEventListener('pointermove', onMove);
  window.addEventListener('pointerup', stop);
  window.addEventListener('pointercancel', stop);
}

/** The past beside the rows, strikes and break-evens of the draft running through. */
function PastOfDraft(
  p: Omit<React.ComponentProps<typeof HistoryPane>, 'strikes' | 'evens' | 'volume'>,
) {
  const { draft, evaluation } = useAnswer(p.symbol);
  const options = (draft?.legs ?? []).filter((l) => isOption(l.contract));
  return (
    <HistoryPane
      {...p}
      strikes={[...new Set(options.map((l) => parts(l.contract).strike))]}
      evens={(evaluation?.evens ?? []).map((v) => Number(v.from))}
      volume={false}
    />
  );
}

/** Rows and picture on one price axis; several expirations under one another, each with its own. */
export function ChainTable({ head, blocks, cursor, onCursor, onTrade, onClose, packages }: Props) {
  const { sides: wanted } = useShown();
  const narrow = useNarrow();
  const { beside: chosen, weekly } = useLook();
  const beside = narrow ? 'nothing' : chosen;
  const box = useRef<HTMLDivElement>(null);
  const places = useRef(new Map<string, HTMLElement>());
  const [width, setWidth] = useState(1216);
  const seen = useWindow(box);
  const strikes = blocks.map((b) => b.rows.map((r) => r.at).join(' ')).join('|');
  const axes = useMemo(
    () => strikes.split('|').map((s) => makeAxis(s === '' ? [] : s.split(' ').map(Number))),
    [strikes],
  );
  const symbol = head.symbol;
  const keys = blocks.map((b) => b.key).join(' ');
  const order = head.marks.map((m) => m.key).join(' ');
  // What can be done with a leg, for each open expiration: its strikes are its own.
  const legActs = useMemo(
    () =>
      keys.split(' ').map((key, i): LegActs => {
        const axis = axes[i];
        const edit = (f: (d: Draft) => Draft) => {
          change(symbol, f);
        };
        const listed = [...(axis?.strikes ?? [])].sort((a, b) => a - b);
        return {
          more: (contract, by) => {
            edit((d) => more(d, contract, by));
          },
          strike: (contract, by) => {
            edit((d) => stepLeg(d, contract, listed, by));
          },
          later: (contract, by) => {
            edit((d) => laterLeg(d, contract, order.split(' '), by));
          },
          reverse: (contract) => {
            edit((d) => turnLeg(d, contract));
          },
          swap: (contract) => {
            edit((d) => swapKind(d, contract));
          },
          remove: (contract) => {
            edit((d) => remove(d, contract));
          },
          drag: (contract, e) => {
            if (!axis) return;
            const top = () => places.current.get(key)?.getBoundingClientRect().top ?? 0;
            dragLeg(symbol, axis, top, contract, e);
          },
        };
      }),
    [keys, axes, symbol, order],
  );
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => {
      if (e) setWidth(e.contentRect.width);
    });
    if (box.current) watch.observe(box.current);
    return () => {
      watch.disconnect();
    };
  }, []);
  // More rows than fit: begin with the price in the middle. (The table is made anew for another choice of rows.)
  const level = useRef(head.level);
  const some = (blocks[0]?.rows.length ?? 0) > 1;
  useEffect(() => {
    const at = box.current;
    if (some && at && blocks.length === 1)
      at.scrollTop = (axes[0]?.y(level.current) ?? 0) - at.clientHeight / 2 + HEAD;
    // Only when the rows first appear: later the trader scrolls.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [some]);
  const picture = narrow ? Math.round(width * 0.27) : pictureOf(width);
  const side = beside === 'nothing' ? 0 : Math.round(Math.min(420, width * 0.3));
  const crowded = side > 0 && width < WIDE && wanted === 'both';
  const sides = crowded ? 'puts' : wanted;
  const table = width - picture - side;
  const several = blocks.length > 1;
  const held = useHeld(symbol);
  const goTo = (strike: string, of: 'call' | 'put') => {
    onCursor({ strike, side: of, what: 'ask', key: blocks[0]?.key ?? '' });
    document
      .querySelector<HTMLElement>(
        `[data-cell="${strike}-${of}-ask"], [data-cell="${strike}-put-ask"]`,
      )
      ?.focus();
  };
  const tops = blocks.map(
    (_, i) =>
      HEAD +
      axes.slice(0, i).reduce((sum, a) => sum + a.height, 0) +
      (several ? (i + 1) * HEAD : 0),
  );
  return (
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-y-auto max-md:flex-none max-md:overflow-visible"
      role="region"
      aria-label="Strikes and outline"
      data-walk="rows"
      tabIndex={-1}
    >
      <div className="relative flex items-start">
        {side > 0 && (
          <div className="border-r border-hair bg-raised" style={{ width: side }}>
            <div className="sticky top-0 z-20 flex h-6 items-center border-b border-strong bg-raised text-[12px]">
              {beside === 'history' ? <HistoryHead /> : <SmileHead />}
            </div>
            {blocks.map((b, i) => {
              const axis = axes[i];
              return (
                axis && (
                  <div key={b.key}>
                    {several && <div className="h-6 border-b border-hair" />}
                    <div className="relative" style={{ height: axis.height }}>
                      {b.rows.length > 1 &&
                        (beside === 'history' ? (
                          <PastOfDraft
                            symbol={symbol}
                            level={head.level}
                            weekly={weekly}
                            ahead={b.mark}
                            axis={axis}
                            width={side - 1}
                          />
                        ) : (
                          <SmilePane
                            symbol={symbol}
                            expiration={b.key}
                            axis={axis}
                            width={side - 1}
                            onStrike={goTo}
                          />
                        ))}
                    </div>
                  </div>
                )
              );
            })}
            {beside === 'history' && <HistoryFoot head={head} width={side - 1} />}
          </div>
        )}
        {packages ? (
          <PackageTable
            rows={blocks[0]?.rows ?? NO_ROWS}
            lines={packages}
            symbol={symbol}
            width={table}
          />
        ) : (
          <ChainGrid
            level={head.level}
            blocks={blocks}
            tops={tops}
            seen={seen}
            sides={sides}
            crowded={crowded}
            held={held}
            stop={tabStop(blocks, cursor, sides, head.level)}
            onCursor={onCursor}
            onTrade={onTrade}
            onClose={onClose}
            legActs={legActs}
            places={places}
            width={table}
          />
        )}
        <PictureColumn
          symbol={symbol}
          level={head.level}
          spot={head.spot}
          blocks={blocks}
          axes={axes}
          legActs={legActs}
          width={picture}
        />
        {blocks.map((b, i) => {
          const axis = axes[i];
          return (
            axis &&
            b.rows.length > 1 && (
              <div
                key={b.key}
                className="pointer-events-none absolute left-0"
                style={{ top: tops[i], width, height: axis.height }}
              >
                {!packages && !narrow && (
                  <div className="absolute top-0" style={{ left: side, width: table }}>
                    <RowLines
                      axis={axis}
                      width={table}
                      strike={sides === 'both' ? 'middle' : sides === 'calls' ? 'right' : 'left'}
                      level={head.level}
                      mark={b.mark}
                    />
                  </div>
                )}
                <TargetLine symbol={symbol} axis={axis} width={width} picture={picture} />
                <BellLines symbol={head.symbol} axis={axis} width={width} picture={picture} />
              </div>
            )
          );
        })}
      </div>
    </div>
  );
}
