import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { BookItem, BookLooked, BookSums } from '../../api/client';
import { choose as pick, put, SLOTS } from '../../drafts/store';
import { fixed, longDate } from '../../format';
import { openDraft, openOrder } from '../../ticket/open';
import { Button, Choices } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { keyOfDraft } from './look';

type By = 'item' | 'symbol' | 'sector' | 'structure' | 'expiration' | 'direction' | 'beta';
const BY: { value: By; label: string }[] = [
  { value: 'item', label: 'campaign or draft' },
  { value: 'symbol', label: 'symbol' },
  { value: 'sector', label: 'sector' },
  { value: 'structure', label: 'structure' },
  { value: 'expiration', label: 'what ends together' },
  { value: 'direction', label: 'direction' },
  { value: 'beta', label: 'betas' },
];

type Row = { id: string; name: React.ReactNode; text: string; sums: BookSums; count: number };

function columns(value: number): Column<Row>[] {
  const number = (
    key: string,
    head: string,
    of: (s: BookSums) => number,
    decimals: number,
  ): Column<Row> => ({
    key,
    head,
    by: (r) => of(r.sums),
    cell: (r) => fixed(of(r.sums), decimals, true),
    total: (rows) =>
      fixed(
        rows.reduce((all, r) => all + of(r.sums), 0),
        decimals,
        true,
      ),
  });
  return [
    {
      key: 'name',
      head: 'what',
      left: true,
      by: (r) => r.text,
      cell: (r) => r.name,
      total: () => 'all',
    },
    number('lean', 'lean', (s) => s.lean, 2),
    number('one', 'for 1 %', (s) => s.leanMoney, 0),
    number('gamma', 'gamma', (s) => s.gamma, 4),
    number('theta', 'theta a day', (s) => s.theta, 1),
    number('vega', 'vega', (s) => s.vega, 1),
    number('weighted', 'vega weighted', (s) => s.weightedVega, 1),
    number('rho', 'rho', (s) => s.rho, 1),
    {
      key: 'risk',
      head: 'capital at risk',
      by: (r) => r.sums.risk,
      cell: (r) => fixed(r.sums.risk, 0),
      total: (rows) =>
        fixed(
          rows.reduce((all, r) => all + r.sums.risk, 0),
          0,
        ),
    },
    {
      key: 'part',
      head: '% of account',
      by: (r) => r.sums.risk,
      cell: (r) => (value > 0 ? fixed((100 * r.sums.risk) / value, 1) : ''),
    },
  ];
}

/** Where a draft or an order goes from here. */
function Onward({ item: i }: { item: BookItem }) {
  const navigate = useNavigate();
  const small = '!h-5';
  if (i.source === 'order')
    return (
      <Button
        className={small}
        onClick={() => {
          if (i.number != null) openOrder(i.number);
        }}
      >
        order
      </Button>
    );
  return (
    <>
      <Button
        className={small}
        onClick={() => {
          const slot = SLOTS.find((s) => keyOfDraft(s) === i.key);
          if (slot) pick(slot);
          else if (!put({ symbol: i.symbol, legs: i.legs })) return;
          void navigate('/bench');
        }}
      >
        bench
      </Button>
      <Button
        className={small}
        onClick={() => {
          openDraft({ symbol: i.symbol, legs: i.legs });
        }}
      >
        ticket
      </Button>
    </>
  );
}

function nameOf(i: BookItem) {
  const words = (
    <>
      <b>{i.symbol}</b> {i.name}
    </>
  );
  return i.source === 'campaign' ? (
    <Link to={`/campaign/${i.number ?? ''}`} className="hover:text-brass">
      {words}
    </Link>
  ) : (
    <span className="inline-flex flex-wrap items-center gap-1.5">
      <span>{words}</span> <span className="text-ink2">{i.source}</span>
      <Onward item={i} />
    </span>
  );
}

function Betas({ looked: b }: { looked: BookLooked }) {
  type Beta = BookLooked['betas'][number];
  const cols: Column<Beta>[] = [
    { key: 's', head: 'symbol', left: true, by: (x) => x.symbol, cell: (x) => <b>{x.symbol}</b> },
    {
      key: 'u',
      head: 'counts',
      by: (x) => x.used,
      cell: (x) => (
        <>
          <b>{fixed(x.used, 2, true)}</b> <span className="text-ink2">{x.source}</span>
        </>
      ),
    },
    {
      key: 'm',
      head: 'the market’s own',
      by: (x) => x.market,
      cell: (x) => fixed(x.market, 2, true),
    },
    {
      key: 'e',
      head: 'estimated',
      by: (x) => x.estimated,
      cell: (x) => fixed(x.estimated, 2, true),
    },
    { key: 'se', head: 'its error', by: (x) => x.error, cell: (x) => fixed(x.error, 2) },
    { key: 'r', head: 'R²', by: (x) => x.rSquared, cell: (x) => fixed(x.rSquared, 2) },
    { key: 'n', head: 'sessions', by: (x) => x.pairs, cell: (x) => x.pairs ?? '' },
  ];
  return (
    <>
      <DataTable label="Betas" rows={b.betas} columns={cols} id={(x) => x.symbol} />
      <p className="pt-1 text-[12px] text-ink2">
        Against {b.index}, from daily returns. A beta of your own is set under “betas” above.
      </p>
    </>
  );
}

/** Who adds what: by campaign, symbol, sector, structure, expiration and direction. */
export function Parts({ looked: b }: { looked: BookLooked }) {
  const [by, setBy] = useState<By>('item');
  const value = Number(b.value);
  const rows: Row[] =
    by === 'item'
      ? b.items
          .filter((i) => i.on)
          .map((i) => ({
            id: i.key,
            name: nameOf(i),
            text: `${i.symbol} ${i.name}`,
            sums: i.sums,
            count: 1,
          }))
      : (b.divisions.find((d) => d.by === by)?.rows ?? []).map((r) => ({
          id: r.name,
          name: (
            <>
              <b>{by === 'expiration' && r.name !== 'none' ? longDate(r.name) : r.name}</b>{' '}
              <span className="text-ink2">{r.count}</span>
            </>
          ),
          text: r.name,
          sums: r.sums,
          count: r.count,
        }));
  return (
    <section aria-label="Who holds it" className="flex flex-col gap-1.5">
      <Choices wrap label="By" value={by} onChange={setBy} choices={BY} />
      {by === 'beta' ? (
        <Betas looked={b} />
      ) : rows.length === 0 ? (
        <p className="text-ink2">Nothing is switched in.</p>
      ) : (
        <>
          <DataTable
            label="Parts of the book"
            rows={rows}
            columns={columns(value)}
            id={(r) => r.id}
          />
          <p className="text-[12px] text-ink2">
            Lean in shares of {b.index}: delta × beta × price / index. Vega of different names is
            added as it is, or each leg weighted by √(30 / days left) and beta: rough either way.
          </p>
        </>
      )}
    </section>
  );
}
