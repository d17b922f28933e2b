import { useEffect, useMemo, useRef, useState } from 'react';
import type { ChainHead, Draft, Evaluation, Leg, Mark, PackageLine, Row } from '../../api/client';
import { isOption, parts, withStrike } from '../../drafts/contract';
import { moveLeg, remove } from '../../drafts/moves';
import { change } from '../../drafts/store';
import { makeAxis, ROW, type Axis } from './axis';
import { ChainRow, type Cursor } from './ChainRow';
import { told, useColumns } from './columns';
import { PictureLines, RowLines } from './Lines';
import { Outline, OutlineFoot, OutlineHead } from './Outline';
import { PACKAGE_HEADS, PackageRows } from './PackageRows';

/** Width of the picture: a little under a third. */
const pictureOf = (width: number) => Math.round(Math.min(372, width * 0.306));
type Props = {
  head: ChainHead;
  mark?: Mark;
  rows: Row[];
  draft?: Draft;
  evaluation?: Evaluation;
  cursor: Cursor | null;
  onCursor: (c: Cursor) => void;
  onTrade: (contract: string, quantity: number) => void;
  /** In place of contracts. */
  packages?: PackageLine[];
};

/** Follows the pointer over the rows and moves a leg to the strike under it. */
function useDrag(symbol: string, axis: Axis, body: React.RefObject<HTMLDivElement | null>) {
  return useMemo(() => (contract: string, start: React.PointerEvent) => {
    if (start.button !== 0) return;
    let moving = contract;
    const onMove = (e: PointerEvent) => {
      const top = body.current?.getBoundingClientRect().top ?? 0;
      const index = Math.min(axis.strikes.length - 1, Math.max(0, Math.floor((e.clientY - top) / ROW)));
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
  }, [symbol, axis, body]);
}

const NONE: Leg[] = [];
/** Rows and picture on one price axis. */
export function ChainTable({ head, mark, rows, draft, evaluation, cursor, onCursor, onTrade, packages }: Props) {
  const { columns, sides } = useColumns();
  const box = useRef<HTMLDivElement>(null);
  const body = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1216);
  const strikes = rows.map((r) => r.at).join(' ');
  const axis = useMemo(() => makeAxis(strikes === '' ? [] : strikes.split(' ').map(Number)), [strikes]);
  const drag = useDrag(head.symbol, axis, body);
  const removeLeg = useMemo(() => (contract: string) => { change(head.symbol, (d) => remove(d, contract)); }, [head.symbol]);
  const take = useMemo(() => (legs: Leg[]) => { change(head.symbol, () => ({ symbol: head.symbol, legs })); }, [head.symbol]);
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => { if (e) setWidth(e.contentRect.width); });
    if (box.current) watch.observe(box.current);
    return () => { watch.disconnect(); };
  }, []);
  // More rows than fit: begin with the price in the middle. (The table is made anew for another choice of rows.)
  const level = useRef(head.level);
  const some = rows.length > 1;
  useEffect(() => {
    const at = box.current;
    if (some && at) at.scrollTop = axis.y(level.current) - at.clientHeight / 2 + 24;
    // Only when the rows first appear: later the trader scrolls.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [some]);
  const picture = pictureOf(width);
  const table = width - picture;
  const legOf = (contract: string) => draft?.legs.find((l) => l.contract === contract);
  const dragKink = (strike: number, e: React.PointerEvent) => {
    const leg = draft?.legs.find((l) => isOption(l.contract) && parts(l.contract).strike === strike);
    if (leg) drag(leg.contract, e);
  };
  const th = 'sticky top-0 z-20 h-6 bg-ground shadow-[inset_0_-1px_0_var(--strong)] px-[clamp(2px,0.47vw,6px)] text-right text-[12px] leading-[14px] font-normal whitespace-nowrap text-ink2';
  const heads = columns.map((key) => <th key={key} className={th}><abbr title={told(key)?.name} className="no-underline">{told(key)?.head}</abbr></th>);
  return (
    <div ref={box} className="min-h-0 flex-1 overflow-y-auto" role="region" aria-label="Strikes and outline" tabIndex={-1}>
      <div className="relative flex items-start">
        <table className="table-fixed border-collapse text-[12.5px]" style={{ width: table }}>
          <caption className="sr-only">{`${packages ? 'Packages' : 'Calls left, puts right'}, ${mark ? `${mark.label}, ${mark.days} days` : ''}`}</caption>
          <thead>
            {packages ? <tr>{PACKAGE_HEADS.map(([head, how]) => <th key={head} className={`${th} ${how}`}>{head || <span className="sr-only">debit or credit</span>}</th>)}</tr> : <tr>
              {sides !== 'puts' && heads}{sides !== 'puts' && <th className={th}>bid</th>}{sides !== 'puts' && <th className={th}>ask</th>}
              <th className={`${th} w-[62px]`}><span className="sr-only">call leg</span></th><th className={`${th} w-[58px] text-center`}>strike</th><th className={`${th} w-[62px]`}><span className="sr-only">put leg</span></th>
              {sides !== 'calls' && <th className={th}>bid</th>}{sides !== 'calls' && <th className={th}>ask</th>}{sides !== 'calls' && [...heads].reverse()}
            </tr>}
          </thead>
          <tbody>
            {packages && <PackageRows rows={rows} lines={packages} legs={draft?.legs ?? NONE} onTake={take} />}
            {!packages && rows.map((row) => (
              <ChainRow key={row.strike} columns={columns} sides={sides} row={row} callIn={row.at < head.level} putIn={row.at > head.level} cursor={cursor?.strike === row.strike ? cursor : null}
                callLeg={legOf(row.call.contract)} putLeg={legOf(row.put.contract)} onTrade={onTrade} onCursor={onCursor} onDragLeg={drag} onRemoveLeg={removeLeg} />
            ))}
          </tbody>
        </table>
        <div className="border-l border-hair bg-raised" style={{ width: picture }}>
          <div className="sticky top-0 z-20 flex h-6 items-center border-b border-strong bg-raised text-[12px]"><OutlineHead evaluation={evaluation} /></div>
          <div className="relative" style={{ height: axis.height }}>
            {rows.length > 1 && <PictureLines axis={axis} width={picture} level={head.level} spot={head.spot} mark={mark} evaluation={evaluation} />}
            {evaluation && rows.length > 1 && <Outline evaluation={evaluation} axis={axis} width={picture} bands={mark?.bands ?? []} onDragKink={dragKink} />}
          </div>
          <OutlineFoot evaluation={evaluation} />
        </div>
        <div ref={body} className="pointer-events-none absolute top-6 left-0" style={{ width: table, height: axis.height }}>
          {rows.length > 1 && <RowLines axis={axis} width={table} level={head.level} mark={mark} />}
        </div>
      </div>
    </div>
  );
}
