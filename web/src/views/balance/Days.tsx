import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Explained, Parts } from '../../api/client';
import { daysQuery } from '../../api/queries';
import { fixed, longDate, shortWhen } from '../../format';
import { cents, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { DataTable, type Column } from '../../ui/DataTable';
import { Term } from '../../ui/terms';
import { explainedQuery } from './queries';

type Made = Explained['made'][number];
const model = (
  key: keyof Parts &
    ('delta' | 'gamma' | 'theta' | 'vega' | 'rate' | 'dividends' | 'trades' | 'other'),
  head: React.ReactNode,
  sum: Parts,
): Column<Made> => ({
  key,
  head,
  by: (m) => m.parts[key],
  cell: (m) => (m.untold != null && key !== 'other' ? '' : fixed(m.parts[key], 2, true)),
  total: () => fixed(sum[key], 2, true),
});

function columns(e: Explained): Column<Made>[] {
  return [
    {
      key: 'c',
      head: 'campaign',
      left: true,
      by: (m) => `${m.symbol} ${m.title}`,
      cell: (m) => (
        <>
          <Link to={`/campaign/${m.campaign}`} className="hover:text-brass">
            <b>{m.symbol}</b> {m.title}
          </Link>
          {m.untold != null && <span className="block text-[12px] text-ink2">{m.untold}</span>}
        </>
      ),
      total: () => 'all',
    },
    {
      key: 'total',
      head: 'profit',
      by: (m) => Number(m.parts.total),
      cell: (m) => <b className={tone(m.parts.total)}>{cents(m.parts.total, true)}</b>,
      total: () => cents(e.sum.total, true),
    },
    model('delta', <Term of="madeByDelta">price</Term>, e.sum),
    model('gamma', <Term of="madeByGamma">gamma</Term>, e.sum),
    model('theta', <Term of="madeByTheta">time</Term>, e.sum),
    model('vega', <Term of="madeByVega">volatility</Term>, e.sum),
    model('rate', <Term of="madeByRate">interest</Term>, e.sum),
    model('dividends', <Term of="madeByDividends">dividends</Term>, e.sum),
    model('trades', <Term of="madeByTrades">fills</Term>, e.sum),
    {
      key: 'fees',
      head: 'fees',
      by: (m) => Number(m.parts.fees),
      cell: (m) => cents(m.parts.fees, true),
      total: () => cents(e.sum.fees, true),
    },
    model('other', <Term of="madeByOther">other</Term>, e.sum),
  ];
}

/** What made the profit of today, or of any stretch of days. */
export function Days() {
  const record = useQuery(daysQuery);
  const closes = (record.data?.days ?? []).map((d) => d.date).reverse();
  const [from, setFrom] = useState<string>();
  const [to, setTo] = useState<string>();
  const explained = useQuery(explainedQuery(from, to));
  const select = 'h-6 rounded border border-strong bg-raised px-1 text-ink';
  return (
    <section aria-label="Days explained" className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-3 text-ink2">
        <label>
          from the close of{' '}
          <select
            value={from ?? ''}
            onChange={(e) => {
              setFrom(e.target.value === '' ? undefined : e.target.value);
            }}
            className={select}
          >
            <option value="">the last one</option>
            {closes.slice(0, 66).map((d) => (
              <option key={d} value={d}>
                {longDate(d)}
              </option>
            ))}
          </select>
        </label>
        <label>
          to{' '}
          <select
            value={to ?? ''}
            onChange={(e) => {
              setTo(e.target.value === '' ? undefined : e.target.value);
            }}
            className={select}
          >
            <option value="">now</option>
            {closes.slice(0, 66).map((d) => (
              <option key={d} value={d}>
                the close of {longDate(d)}
              </option>
            ))}
          </select>
        </label>
      </div>
      {record.data && closes.length === 0 ? (
        <p className="text-ink2">
          No close is in the record yet: what made the profit of a day stands here from the first
          one on.
        </p>
      ) : (
        <Asked query={explained} what="days">
          {(e) => (
            <>
              <p data-testid="explained">
                {shortWhen(e.from)} to {shortWhen(e.to)}: the account went from {cents(e.before)} to{' '}
                {cents(e.after)}
                {/[1-9]/.test(e.deposits) && `, ${cents(e.deposits, true)} of it paid in`}; its
                campaigns made <b className={tone(e.sum.total)}>{cents(e.sum.total, true)}</b>
                {/[1-9]/.test(e.beside) && `, and ${cents(e.beside, true)} were made beside them`}.
              </p>
              {e.made.length === 0 ? (
                <p className="text-ink2">Nothing was held in between.</p>
              ) : (
                <DataTable
                  label="What made it"
                  rows={e.made}
                  columns={columns(e)}
                  id={(m) => m.campaign}
                />
              )}
            </>
          )}
        </Asked>
      )}
    </section>
  );
}
