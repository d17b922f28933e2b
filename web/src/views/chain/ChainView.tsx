import { useQuery } from '@tanstack/react-query';
import { memo, useDeferredValue, useEffect, useMemo, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { evaluate, useLive, watchChain } from '../../api/live';
import type { ChainHead, Line, Mark } from '../../api/client';
import { marketsQuery, packagesQuery } from '../../api/queries';
import { draftOf } from '../../drafts/answer';
import { isOption, keyOf } from '../../drafts/contract';
import { LinkedDraft } from '../../drafts/LinkedDraft';
import { add, MOST_LEGS, remove } from '../../drafts/moves';
import { nudges } from '../../drafts/nudges';
import { change, useDrafts } from '../../drafts/store';
import { openDraft } from '../../ticket/open';
import { Choices, Notice } from '../../ui/controls';
import { useCommands, type Acts } from '../../ui/commands';
import { useHeight, useNarrow } from '../../ui/narrow';
import { Term } from '../../ui/terms';
import { makeAxis, reach } from '../../chart/axis';
import { useAsking } from './asking';
import { BuildPanel } from './BuildPanel';
import type { Cursor } from './ChainRow';
import type { Block } from './ChainGrid';
import { ChainTable } from './ChainTable';
import { showSides, useShown } from './columns';
import { Expirations } from './Expirations';
import { DraftActions, DraftSummary } from './DraftSummary';
import { Elsewhere } from './Elsewhere';
import { useLook } from './look';
import { PackageChooser } from './PackageChooser';
import { readAs, usePackages } from './packages';
import { Ribbon } from './Ribbon';
import { fitting, shown } from './rows';
import { ShowChooser } from './ShowChooser';
import { SymbolHead } from './SymbolHead';

const NONE: Line[] = [];
const NO_MARKS: Mark[] = [];
/** Most expirations open under one another. */
const MOST_OPEN = 4;
const PRICES: [Cursor['side'], Cursor['what']][] = [
  ['call', 'bid'],
  ['call', 'ask'],
  ['put', 'bid'],
  ['put', 'ask'],
];

/** First sight: the monthly nearest to five weeks, where most decisions happen. */
const usualOf = (marks: Mark[]) =>
  marks
    .filter((m) => m.cycle !== 'weekly')
    .sort((a, b) => Math.abs(a.days - 38) - Math.abs(b.days - 38))[0] ?? marks[0];

/** Lowest and highest price of all open rows. */
function rangeOf(blocks: Block[]): [number, number] | undefined {
  const reaches = blocks
    .filter((b) => b.rows.length > 1)
    .map((b) => reach(makeAxis(b.rows.map((r) => r.at))));
  return reaches.length === 0
    ? undefined
    : [Math.min(...reaches.map((r) => r[0])), Math.max(...reaches.map((r) => r[1]))];
}

/** The chain of a symbol. Its head changes four times a second: what hangs on it is drawn again beside what the trader does, never before it. */
export function ChainView() {
  const { symbol: named } = useParams();
  const drafted = useDrafts((s) => s.drafts[s.active]?.symbol);
  const own = useLive((s) => s.clock?.own);
  const markets = useQuery({ ...marketsQuery, enabled: own === true });
  const usual = own === undefined ? undefined : own ? markets.data?.[0]?.symbol : 'NMOU';
  const symbol = named ?? drafted ?? usual;
  const live = useLive((s) => s.head);
  const head = useDeferredValue(live);
  if (symbol === undefined) return null;
  return <Chain symbol={symbol} head={head?.symbol === symbol ? head : undefined} />;
}

const Chain = memo(function Chain({ symbol, head }: { symbol: string; head?: ChainHead }) {
  const navigate = useNavigate();
  const loaded = useDrafts((s) => s.loaded);
  // Where its options end, as text: it is the same while only strikes change, and nothing here is drawn again.
  const legKeys = useDrafts((s) =>
    [
      ...new Set(
        (draftOf(s, symbol)?.legs ?? [])
          .filter((l) => isOption(l.contract))
          .map((l) => keyOf(l.contract)),
      ),
    ].join('|'),
  );
  const listed = useLive((s) => s.lines);
  const chainProblem = useLive((s) => s.chainProblem);
  const [picked, setPicked] = useState<Record<string, string[]>>({});
  const { around, rising } = useLook();
  const fit = fitting(useHeight());
  const { columns, sides } = useShown();
  const narrow = useNarrow();
  const [cursor, setCursor] = useState<Cursor | null>(null);
  const [note, setNote] = useState<string>();

  const marks = head?.marks ?? NO_MARKS;
  const wanted = picked[symbol] ?? legKeys.split('|').slice(0, 1);
  const found = wanted.filter((key) => marks.some((m) => m.key === key));
  const usual = usualOf(marks)?.key;
  const openKeys = (found.length > 0 ? found : usual ? [usual] : []).join('|');
  const open = useMemo(() => (openKeys === '' ? [] : openKeys.split('|')), [openKeys]);
  const chosen = open[0];
  const level = head?.level;
  // Which rows of each, as text: it changes only when a leg goes beyond them.
  const ends = useDrafts((s) =>
    open
      .map((key) => {
        const bands = marks.find((m) => m.key === key)?.bands ?? [];
        const legs = draftOf(s, symbol)?.legs ?? [];
        return shown(key, listed[key] ?? NONE, around, level ?? 0, bands, legs, fit).join(' ');
      })
      .join('|'),
  );
  const blocks = useMemo(
    (): Block[] =>
      open.flatMap((key, i) => {
        const mark = marks.find((m) => m.key === key);
        const rows = (listed[key] ?? NONE).slice(
          ...(ends.split('|')[i]?.split(' ').map(Number) ?? []),
        );
        return mark ? [{ key, mark, rows: rising ? rows.reverse() : rows }] : [];
      }),
    [open, marks, listed, rising, ends],
  );

  const reading = usePackages();
  const packages = useQuery(
    packagesQuery(
      symbol,
      reading.on && chosen
        ? { expiration: chosen, template: reading.template, width: reading.width || null }
        : null,
    ),
  );
  useEffect(() => {
    if (loaded)
      watchChain(
        symbol,
        [...new Set([...open, ...legKeys.split('|')].filter((k) => k !== ''))],
        columns,
      );
  }, [loaded, symbol, open, legKeys, columns]);
  useEffect(
    () => () => {
      watchChain(null, [], []);
      evaluate('', null);
    },
    [],
  );

  const range = rangeOf(blocks)
    ?.map((p) => p.toFixed(4))
    .join(' ');
  useAsking(symbol, range, head?.at.slice(0, 19));

  const trade = useMemo(
    () => (contract: string, quantity: number) => {
      change(symbol, (d) => {
        const next = add(d, contract, quantity);
        setNote(
          next === d
            ? `A draft holds at most ${MOST_LEGS} legs; remove one first (select its tab, Delete).`
            : undefined,
        );
        return next;
      });
    },
    [symbol],
  );
  const readsPackages = reading.on;
  const acts = useMemo((): Acts => {
    const strikesOf = (contract: string) =>
      (listed[keyOf(contract)] ?? NONE).map((r) => r.at).reverse();
    const lines = blocks.flatMap((b) => b.rows.map((row) => ({ key: b.key, row })));
    const at = lines.findIndex((l) => l.key === cursor?.key && l.row.strike === cursor.strike);
    const prices = PRICES.filter(([side]) => sides === 'both' || sides === `${side}s`);
    const column = prices.findIndex(([s, w]) => s === cursor?.side && w === cursor.what);
    const focus = (selector: string, place: number) => {
      const found = document.querySelector<HTMLElement>(selector);
      if (found) {
        found.focus();
        return;
      }
      // Not drawn yet: scroll there first.
      const box = document.querySelector('[aria-label="Strikes and outline"]');
      if (box) box.scrollTop = place * 20 - box.clientHeight / 2;
      setTimeout(() => {
        document.querySelector<HTMLElement>(selector)?.focus();
      }, 60);
    };
    const go = (dy: number, dx: number) => () => {
      if (readsPackages) {
        const all = [...document.querySelectorAll<HTMLElement>('[data-package]')];
        const here = all.indexOf(document.activeElement as HTMLElement);
        all[
          here < 0 ? Math.floor(all.length / 2) : Math.min(all.length - 1, Math.max(0, here + dy))
        ]?.focus();
        return;
      }
      const first = blocks[0]?.rows.length ?? 0;
      const place = Math.min(
        lines.length - 1,
        Math.max(0, at < 0 ? Math.floor(first / 2) : at + dy),
      );
      const line = lines[place];
      const [side, what] = prices[
        Math.min(prices.length - 1, Math.max(0, column < 0 ? 1 : column + dx))
      ] ?? ['call', 'ask'];
      if (line)
        focus(`[data-of="${line.key}"][data-cell="${line.row.strike}-${side}-${what}"]`, place);
    };
    const contract = cursor && lines[at]?.row[cursor.side];
    return {
      ...nudges(
        symbol,
        strikesOf,
        marks.map((m) => m.key),
        level,
      ),
      up: go(-1, 0),
      down: go(1, 0),
      left: go(0, -1),
      right: go(0, 1),
      buy: contract
        ? () => {
            trade(contract, 1);
          }
        : undefined,
      sell: contract
        ? () => {
            trade(contract, -1);
          }
        : undefined,
      ticket: () => {
        openDraft(draftOf(useDrafts.getState(), symbol));
      },
      judge: () => {
        void navigate('/bench');
      },
    };
  }, [symbol, blocks, listed, marks, level, cursor, trade, sides, readsPackages, navigate]);
  useCommands(acts);
  const choose = (key: string, under: boolean) => {
    const next = !under
      ? [key]
      : open.includes(key)
        ? open.filter((k) => k !== key)
        : [...open, key].slice(-MOST_OPEN);
    setPicked((p) => ({ ...p, [symbol]: next.length > 0 ? next : [key] }));
  };

  if (chainProblem)
    return (
      <div className="p-6">
        <Notice>{chainProblem}</Notice>
      </div>
    );
  if (!head) return <p className="p-6 text-ink2">Reading the chain of {symbol}</p>;
  const mark = blocks[0]?.mark;
  return (
    <div className="flex h-full flex-col max-md:overflow-y-auto max-md:[&>*]:shrink-0">
      <LinkedDraft />
      <SymbolHead head={head} onTrade={trade} />
      <Ribbon head={head} open={open} onChoose={choose} />
      <DraftSummary symbol={symbol} />
      <div className="flex items-center gap-2 border-t border-hair px-4 py-1 max-md:flex-wrap max-md:px-3">
        {narrow && (
          <Choices
            label="Side"
            value={sides === 'puts' ? 'puts' : 'calls'}
            onChange={showSides}
            choices={[
              { value: 'calls', label: 'calls' },
              { value: 'puts', label: 'puts' },
            ]}
          />
        )}
        {!narrow && <ShowChooser />}
        <Choices
          label="Rows as"
          value={reading.on ? 'packages' : 'contracts'}
          onChange={(v) => {
            readAs({ on: v === 'packages' });
          }}
          choices={[
            { value: 'contracts', label: 'contracts' },
            { value: 'packages', label: 'packages' },
          ]}
        />
        {reading.on && (
          <PackageChooser widths={packages.data?.widths ?? []} width={packages.data?.width ?? ''} />
        )}
        <BuildPanel symbol={symbol} mark={mark} />
        <Expirations marks={marks} open={open} onChoose={choose} />
        {mark && !reading.on && (
          <span className="truncate text-ink2 max-[1240px]:hidden">
            <Term of="expectedMove">
              by {mark.label}, {mark.days} {mark.days === 1 ? 'day' : 'days'}, about ±
              <b className="text-ink">{mark.expectedMove.toFixed(2)}</b>
            </Term>
            {mark.amSettled ? ', settles at the opening' : ''}
          </span>
        )}
        <Elsewhere
          symbol={symbol}
          open={open}
          own={head.own?.word ?? ''}
          onChoose={(key) => {
            choose(key, true);
          }}
          onRemove={(contract) => {
            change(symbol, (d) => remove(d, contract));
          }}
        />
        {note && (
          <span role="alert" className="text-loss">
            {note}
          </span>
        )}
        <DraftActions symbol={symbol} />
      </div>
      <ChainTable
        key={`${symbol} ${chosen ?? ''} ${around} ${String(rising)} ${String(reading.on)}`}
        head={head}
        blocks={blocks}
        cursor={cursor}
        onCursor={setCursor}
        onTrade={trade}
        onClose={(key) => {
          choose(key, true);
        }}
        packages={reading.on ? (packages.data?.lines ?? []) : undefined}
      />
    </div>
  );
});
