import { BASE } from '../../api/base';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Looks, PastNews } from '../../api/client';
import { dayMonth, fixed, longDate, percent } from '../../format';
import { Asked } from '../../ui/Asked';
import { Choices } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { NumberField, readNumber } from '../../ui/fields';
import { useMeasured } from '../../ui/measured';
import { Term } from '../../ui/terms';
import { NewsPicture } from './NewsPicture';
import { newsQuery } from './queries';
import { ReplayPart } from './ReplayPart';

const whole = (text: string) => {
  const n = readNumber(text);
  return n != null && Number.isInteger(n) && n >= 0 && n <= 60 ? n : undefined;
};
/** A figure with its error: "1.12 ± 0.21". */
const withError = (n: number | null | undefined, error: number | null | undefined, decimals = 2) =>
  n == null ? '—' : `${fixed(n, decimals)}${error == null ? '' : ` ± ${fixed(error, decimals)}`}`;

const COLUMNS: Column<PastNews>[] = [
  {
    key: 'date',
    head: 'news',
    left: true,
    by: (p) => p.date,
    cell: (p) => (
      <span title={p.what} className="whitespace-nowrap">
        {longDate(p.date)}
      </span>
    ),
  },
  {
    key: 'moved',
    head: 'moved, %',
    by: (p) => p.moved,
    cell: (p) => (
      <span className={p.outside === true ? 'font-semibold' : ''}>
        {fixed(100 * p.moved, 1, true)}
      </span>
    ),
  },
  {
    key: 'priced',
    head: <Term of="pricedDeviation" />,
    name: 'priced σ',
    by: (p) => p.deviation,
    cell: (p) => percent(p.deviation),
  },
  {
    key: 'place',
    head: <Term of="place" />,
    name: 'place',
    by: (p) => p.place,
    cell: (p) => percent(p.place, 0),
  },
  {
    key: 'base',
    head: 'IV without it',
    by: (p) => p.priced?.baseVol,
    cell: (p) => percent(p.priced?.baseVol),
  },
  {
    key: 'vols',
    head: 'IV before → after, by expiration',
    left: true,
    cell: (p) => (
      <span className="text-[12px] whitespace-nowrap text-ink2">
        {p.vols
          .map(
            (v) =>
              `${dayMonth(v.date)} ${percent(v.before)}${v.after == null ? ' (ended)' : ` → ${percent(v.after)}`}`,
          )
          .join(' · ')}
      </span>
    ),
  },
];

/** News of an underlying: what is priced for the next and how that was taken out, past ones against what was priced, between looks of one's choice; and what a draft would have made. */
export function NewsPanel({ symbol }: { symbol: string }) {
  const [before, setBefore] = useState('0');
  const [to, setTo] = useState<'open' | 'close'>('open');
  const [after, setAfter] = useState('0');
  const [table, setTable] = useState(false);
  const [measure, width] = useMeasured(600);
  const looks: Looks = {
    before: whole(before) ?? 0,
    ...(to === 'open' ? {} : { after: whole(after) ?? 0 }),
  };
  const news = useQuery(newsQuery(symbol, looks));
  const wrong = whole(before) === undefined || (to === 'close' && whole(after) === undefined);
  const query = new URLSearchParams(
    Object.entries(looks).map(([k, v]): [string, string] => [k, String(v)]),
  ).toString();
  return (
    <section aria-label={`News of ${symbol}`} ref={measure} className="min-w-0">
      <Asked query={news} what={`news of ${symbol}`}>
        {(n) =>
          n.next == null && n.past.length === 0 ? (
            <p className="text-ink2">No earnings or decisions of {symbol} are known.</p>
          ) : (
            <div
              className={`flex flex-col gap-1.5 ${news.isPlaceholderData || wrong ? 'old' : ''}`}
            >
              {n.next && (
                <p>
                  <b>{n.next.what}</b>, {longDate(n.next.date)}, in {n.next.sessions}{' '}
                  {n.next.sessions === 1 ? 'session' : 'sessions'}
                  {n.next.priced ? (
                    <>
                      : priced <b>{percent(n.next.priced.deviation)} %</b> for one σ, a mean move of{' '}
                      <b>{percent(n.next.priced.meanMove)} %</b>.{' '}
                      {n.next.pastMean != null && (
                        <>
                          Past mean{' '}
                          {withError(
                            100 * n.next.pastMean,
                            n.next.pastError == null ? null : 100 * n.next.pastError,
                            1,
                          )}{' '}
                          % of {n.next.pastCount}: priced / past{' '}
                          <b>{withError(n.next.premium, n.next.premiumError)}</b>.{' '}
                        </>
                      )}
                      <span className="text-ink2">
                        Taken out of {dayMonth(n.next.priced.near)} (
                        {percent(n.next.priced.nearVol)} %) and {dayMonth(n.next.priced.far)} (
                        {percent(n.next.priced.farVol)} %):{' '}
                        {n.next.priced.both
                          ? 'both contain it, and what lies between them is the base'
                          : 'the nearer ends before it and is the base'}
                        , {percent(n.next.priced.baseVol)} % a year.
                      </span>
                    </>
                  ) : (
                    ': the expirations do not tell what is priced for it.'
                  )}
                </p>
              )}
              {n.past.length === 0 ? (
                <p className="text-ink2">No past news of its kind is known.</p>
              ) : (
                <>
                  <NewsPicture news={n} width={Math.max(280, width)} />
                  <div className="flex flex-wrap items-center gap-x-3 gap-y-1 text-ink2">
                    <NumberField
                      label="Sessions before"
                      name="from the close"
                      value={before}
                      wide="w-10"
                      wrong={whole(before) === undefined}
                      onChange={setBefore}
                      unit="sessions before the last, to the"
                    />
                    <Choices
                      label="Until"
                      value={to}
                      onChange={setTo}
                      choices={[
                        { value: 'open', label: 'first opening' },
                        { value: 'close', label: 'close' },
                      ]}
                    />
                    {to === 'close' && (
                      <NumberField
                        label="Sessions after"
                        value={after}
                        wide="w-10"
                        wrong={whole(after) === undefined}
                        onChange={setAfter}
                        unit="sessions later"
                      />
                    )}
                    <span>
                      <b className="text-ink">
                        {n.outside} of {n.count}
                      </b>{' '}
                      fell outside one σ (a third would); <Term of="squares" />{' '}
                      <b className="text-ink">{withError(n.squares, n.squaresError)}</b>
                    </span>
                    <button
                      type="button"
                      aria-expanded={table}
                      className="text-brass underline"
                      onClick={() => {
                        setTable(!table);
                      }}
                    >
                      {table ? 'hide the figures' : 'the figures'}
                    </button>
                    <a
                      href={`${BASE}/api/scout/news/${symbol}/csv?${query}`}
                      className="text-brass underline"
                    >
                      CSV
                    </a>
                  </div>
                  {table && (
                    <div
                      role="region"
                      aria-label="Past news"
                      tabIndex={0}
                      className="overflow-x-auto"
                    >
                      <DataTable
                        label="Past news"
                        rows={n.past}
                        columns={COLUMNS}
                        id={(p) => p.before}
                      />
                    </div>
                  )}
                  {n.next && <ReplayPart symbol={symbol} looks={looks} />}
                </>
              )}
            </div>
          )
        }
      </Asked>
    </section>
  );
}
