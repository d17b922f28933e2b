import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import type { Candidate, ScoutRow } from '../../api/client';
import { headQuery, historyQuery } from '../../api/queries';
import { dayMonth, percent } from '../../format';
import { requestOf, useAsked, useWritten } from './asked';
import { Candidates } from './Candidates';
import { NewsPanel } from './NewsPanel';
import { once } from './search';
import { Past, Smile, Term } from './WhyPictures';

/** The best few if the price moves as it did: it stays within one deviation that is priced, with the chance that the past month gives that. */
function Fits({ row, by }: { row: ScoutRow; by: string }) {
  const [found, setFound] = useState<{ rows: Candidate[] } | { problem: string }>();
  const sure = row.withinOne ?? null;
  useEffect(() => {
    const giveUp = new AbortController();
    const asked = { ...useAsked.getInitialState(), expirations: '1', legs: '4' };
    const made = requestOf(
      asked,
      { by, low: -1, high: 1, unit: 'deviations', sure, law: 'smile' },
      [row.symbol],
    );
    if ('body' in made)
      once({ ...made.body, rows: 5 }, giveUp.signal).then(
        (rows) => {
          setFound({ rows });
        },
        (e: unknown) => {
          if (!giveUp.signal.aborted)
            setFound({ problem: e instanceof Error ? e.message : String(e) });
        },
      );
    return () => {
      giveUp.abort();
    };
  }, [row.symbol, by, sure]);
  return (
    <section aria-label="Structures that fit" className="flex flex-col gap-1">
      <p>
        If it goes on as in the past thirty sessions, it stays within one priced deviation until{' '}
        {dayMonth(by)} {sure == null ? 'as the market says' : `with ${percent(sure, 0)} %`} (68 %
        are priced). What makes most of that for its capital, halfway to the far side:{' '}
        <Link
          to={`/scout/expect/${row.symbol}`}
          className="text-brass underline"
          onClick={() => {
            useWritten.setState({
              symbol: row.symbol,
              by,
              unit: 'deviations',
              low: '-1',
              high: '1',
              sure: sure == null ? '' : (100 * sure).toFixed(0),
            });
          }}
        >
          change what is expected
        </Link>
      </p>
      {found === undefined && (
        <p role="status" className="text-ink2">
          Looking
        </p>
      )}
      {found && 'problem' in found && <p className="text-loss">{found.problem}</p>}
      {found && 'rows' in found && (
        <Candidates rows={found.rows} rank="expectedPerCapital" several={false} />
      )}
    </section>
  );
}

/** Why a row is as it is: a year of price and volatility, the term structure, the smile, news, and what fits. */
export function Why({ row }: { row: ScoutRow }) {
  const history = useQuery(historyQuery(row.symbol, true, 52));
  const head = useQuery(headQuery(row.symbol));
  const bars = history.data?.bars ?? [];
  const monthly = head.data?.marks.find((m) => m.days >= 25 && m.cycle !== 'weekly');
  const name = (words: string) => <p className="text-[12px] text-ink2">{words}</p>;
  return (
    <div className="flex max-w-[calc(100vw-112px)] flex-col gap-3" data-testid="why">
      <div className="flex flex-wrap gap-x-4 gap-y-2">
        <div>
          {name('price, weekly')}
          <Past bars={bars} of="price" />
        </div>
        <div>
          {name('IV of 30 days (line) and realised (dashed)')}
          <Past bars={bars} of="vol" />
        </div>
        {head.data && (
          <>
            <div>
              {name('volatility by expiration, √ time')}
              <Term head={head.data} />
            </div>
            <div>
              {name('smile near 30 days')}
              <Smile symbol={row.symbol} head={head.data} />
            </div>
          </>
        )}
      </div>
      <NewsPanel symbol={row.symbol} />
      {monthly && <Fits row={row} by={monthly.date} />}
    </div>
  );
}
