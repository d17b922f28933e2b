import { useEffect, useMemo, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import { evaluate, useLive, watchChain } from '../../api/live';
import type { Row } from '../../api/client';
import { packagesQuery } from '../../api/queries';
import { isOption, keyOf } from '../../drafts/contract';
import { add, later, MOST_LEGS, remove, shift, turn, widen } from '../../drafts/moves';
import { change, redo, undo, useDrafts } from '../../drafts/store';
import { Choices, Notice } from '../../ui/controls';
import { useKeys } from '../../ui/keys';
import { makeAxis } from './axis';
import type { Cursor } from './ChainRow';
import { ChainTable } from './ChainTable';
import { ColumnChooser } from './ColumnChooser';
import { PackageChooser } from './PackageChooser';
import { usePackages } from './packages';
import { useColumns } from './columns';
import { DraftActions, DraftSummary, startTicket } from './DraftSummary';
import { Ribbon } from './Ribbon';
import { Elsewhere } from './Elsewhere';
import { useShown, type Around } from './rows';
import { SymbolHead } from './SymbolHead';

const NONE: Row[] = [];
const PRICES: [Cursor['side'], Cursor['what']][] = [['call', 'bid'], ['call', 'ask'], ['put', 'bid'], ['put', 'ask']];

export function ChainView() {
  const { symbol: named } = useParams();
  const loaded = useDrafts((s) => s.loaded);
  const kept = useDrafts((s) => s.drafts[s.active]);
  const symbol = named ?? kept?.symbol ?? 'NMOU';
  const draft = kept?.symbol === symbol ? kept : undefined;
  const live = useLive((s) => s.head);
  const head = live?.symbol === symbol ? live : undefined;
  const allRows = useLive((s) => s.rows);
  const answer = useLive((s) => s.evaluation);
  const refusal = useLive((s) => s.refusal);
  const chainProblem = useLive((s) => s.chainProblem);
  const [picked, setPicked] = useState<Record<string, string>>({});
  const [around, setAround] = useState<Around>('11');
  const { columns, sides } = useColumns();
  const [cursor, setCursor] = useState<Cursor | null>(null);
  const [note, setNote] = useState<string>();

  const marks = head?.marks ?? [];
  const firstLeg = draft?.legs.find((l) => isOption(l.contract));
  const wanted = picked[symbol] ?? (firstLeg ? keyOf(firstLeg.contract) : undefined);
  // First sight: the monthly nearest to five weeks, where most decisions happen.
  const usual = marks.filter((m) => m.cycle !== 'weekly').sort((a, b) => Math.abs(a.days - 38) - Math.abs(b.days - 38))[0] ?? marks[0];
  const chosen = marks.find((m) => m.key === wanted)?.key ?? usual?.key;
  const mark = marks.find((m) => m.key === chosen);
  const whole = (chosen ? allRows[chosen] : undefined) ?? NONE;
  const legs = draft?.legs;
  const rows = useShown(whole, around, head?.level, mark?.bands, legs);

  const reading = usePackages();
  const packages = useQuery(packagesQuery(symbol, reading.on && chosen ? { expiration: chosen, template: reading.template, width: reading.width || null } : null));
  const legKeys = [...new Set((draft?.legs ?? []).filter((l) => isOption(l.contract)).map((l) => keyOf(l.contract)))].sort().join('|');
  useEffect(() => {
    if (loaded) watchChain(symbol, [...new Set([chosen, ...legKeys.split('|')].filter((k): k is string => !!k))], columns);
  }, [loaded, symbol, chosen, legKeys, columns]);
  useEffect(() => () => { watchChain(null, [], []); evaluate(null); }, []);

  const strikes = rows.map((r) => r.at).join(' ');
  const [low, high] = useMemo(() => {
    const axis = makeAxis(strikes === '' ? [] : strikes.split(' ').map(Number));
    return axis.strikes.length > 1 ? [Math.max(0, axis.price(axis.height)), axis.price(0)] : [undefined, undefined];
  }, [strikes]);
  const second = head?.at.slice(0, 19);
  useEffect(() => {
    evaluate(legs && legs.length > 0 && low !== undefined ? { symbol, legs, low, high } : null);
  }, [symbol, legs, low, high, second]);
  const evaluation = legs && legs.length > 0 ? answer : undefined;

  const trade = useMemo(() => (contract: string, quantity: number) => {
    change(symbol, (d) => {
      const next = add(d, contract, quantity);
      setNote(next === d ? `A draft holds at most ${MOST_LEGS} legs; remove one first (select its tab, Delete).` : undefined);
      return next;
    });
  }, [symbol]);
  const keys = useMemo(() => {
    const strikesOf = (contract: string) => (allRows[keyOf(contract)] ?? NONE).map((r) => r.at).reverse();
    const expirations = (head?.marks ?? []).map((m) => m.key);
    const move = (f: Parameters<typeof change>[1]) => () => { change(symbol, f); };
    const at = rows.findIndex((r) => r.strike === cursor?.strike);
    const prices = PRICES.filter(([side]) => sides === 'both' || sides === `${side}s`);
    const column = prices.findIndex(([s, w]) => s === cursor?.side && w === cursor.what);
    const go = (dy: number, dx: number) => () => {
      const middle = Math.floor(rows.length / 2);
      const row = rows[Math.min(rows.length - 1, Math.max(0, at < 0 ? middle : at + dy))];
      const [side, what] = prices[Math.min(prices.length - 1, Math.max(0, column < 0 ? 1 : column + dx))] ?? ['call', 'ask'];
      if (row) document.querySelector<HTMLButtonElement>(`[data-cell="${row.strike}-${side}-${what}"]`)?.focus();
    };
    const contract = cursor && rows[at]?.[cursor.side].contract;
    return {
      ArrowUp: go(-1, 0), ArrowDown: go(1, 0), ArrowLeft: go(0, -1), ArrowRight: go(0, 1),
      b: contract ? () => { trade(contract, 1); } : undefined,
      s: contract ? () => { trade(contract, -1); } : undefined,
      '[': move((d) => shift(d, strikesOf, -1)), ']': move((d) => shift(d, strikesOf, 1)),
      '{': move((d) => later(d, expirations, -1)), '}': move((d) => later(d, expirations, 1)),
      '-': move((d) => widen(d, strikesOf, -1)), '=': move((d) => widen(d, strikesOf, 1)),
      x: move(turn), z: undo, Z: redo, t: () => { startTicket(draft, evaluation); },
    };
  }, [symbol, rows, allRows, head?.marks, cursor, trade, draft, evaluation, sides]);
  useKeys(keys);
  const choose = (key: string) => { setPicked((p) => ({ ...p, [symbol]: key })); };

  if (chainProblem) return <div className="p-6"><Notice>{chainProblem}</Notice></div>;
  if (!head) return <p className="p-6 text-ink2">Reading the chain of {symbol}</p>;
  return (
    <div className="flex h-full flex-col">
      <SymbolHead head={head} onTrade={trade} />
      <Ribbon head={head} chosen={chosen} legs={legs ?? []} onChoose={choose} />
      <DraftSummary draft={draft} evaluation={evaluation} refusal={refusal} />
      <div className="flex items-center gap-3 border-t border-hair px-4 py-1">
        <Choices label="Strikes shown" value={around} onChange={setAround} choices={[{ value: '11', label: '±11' }, { value: '25', label: '±25' }, { value: 'sigma', label: '±2 σ' }, { value: 'all', label: 'all strikes' }]} />
        <PackageChooser widths={packages.data?.widths ?? []} width={packages.data?.width ?? ''} />
        {!reading.on && <ColumnChooser />}
        {mark && <span className="text-ink2 max-[1240px]:hidden">{mark.label} · {mark.days} d · {mark.cycle}{mark.amSettled ? ' · settles at the opening' : ''} · expected move ±<b className="text-ink">{mark.expectedMove.toFixed(2)}</b></span>}
        <Elsewhere legs={legs} chosen={chosen} own={head.own?.word ?? ''} onChoose={choose} onRemove={(contract) => { change(symbol, (d) => remove(d, contract)); }} />
        {note && <span role="alert" className="text-loss">{note}</span>}
        <DraftActions draft={draft} evaluation={evaluation} onTurn={() => { change(symbol, turn); }} />
      </div>
      <ChainTable key={`${symbol} ${chosen ?? ''} ${around} ${String(reading.on)}`} head={head} mark={mark} rows={rows} draft={draft} evaluation={evaluation} cursor={cursor} onCursor={setCursor} onTrade={trade} packages={reading.on ? packages.data?.lines ?? [] : undefined} />
    </div>
  );
}
