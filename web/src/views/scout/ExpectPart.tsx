import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useParams } from 'react-router';
import { api, must } from '../../api/client';
import { useLive } from '../../api/live';
import { scoutMarketQuery } from '../../api/queries';
import { fixed, longDate, percent } from '../../format';
import { Button, Choices, Notice } from '../../ui/controls';
import { useMeasured } from '../../ui/measured';
import { Term } from '../../ui/terms';
import {
  badEnds,
  badSure,
  dateWanted,
  decimalsFor,
  expectationOf,
  isDrawn,
  regionWords,
  requestOf,
  rounded,
  useAsked,
  useWritten,
  write,
} from './asked';
import { Candidates } from './Candidates';
import { ExpectFields } from './ExpectFields';
import { ExpectPicture } from './ExpectPicture';
import { Judged } from './Judged';
import { expectedQuery } from './queries';
import { search, stop, useSearch } from './search';
import { SearchForm } from './SearchForm';
import { ShortlistBar } from './ShortlistBar';

const HEIGHT = 330;
/** Calendar days to a date that nobody has written yet. */
const USUAL_DAYS = 38;
/** So many days behind a date, as an ISO date. */
const ahead = (date: string, days: number) =>
  new Date(Date.parse(`${date}T12:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);

/** What I expect: a region drawn or written, how sure I am, and the structures that make most of it. */
export function ExpectPart() {
  const { symbol: named } = useParams();
  const market = useQuery(scoutMarketQuery);
  const written = useWritten();
  const asked = useAsked();
  const found = useSearch();
  const [measure, width] = useMeasured(720);
  const symbols = market.data?.rows.map((r) => r.symbol) ?? [];
  const symbol = named ?? (symbols.includes(written.symbol) ? written.symbol : (symbols[0] ?? ''));
  useEffect(() => {
    // Prices of one underlying mean nothing on another.
    const w = useWritten.getState();
    if (symbol !== '' && w.symbol !== symbol)
      write({ symbol, ...(w.unit === 'prices' ? { low: '', high: '' } : {}) });
  }, [symbol]);
  const at = market.data?.at;
  // The clock may have gone on since the market was read: what is behind it is not asked about.
  const clock = useLive((s) => s.clock?.now.slice(0, 10));
  const read = at?.slice(0, 10);
  const today = read && clock && clock > read ? clock : read;
  const own = written.symbol === symbol;
  const expectation = today && own ? expectationOf(written, today, ahead(today, USUAL_DAYS)) : null;
  const answer = useQuery(expectedQuery(symbol, expectation));
  const e = answer.data;
  const drawn = isDrawn(written);
  useEffect(() => {
    const by = today ? dateWanted(written, today, e) : written.by;
    if (by !== written.by) write({ by });
  }, [today, written, e]);
  const now = JSON.stringify([symbol, expectation, asked]);
  const stale = found.request !== undefined && found.written !== now;
  const start = async () => {
    if (!expectation) return;
    const over =
      asked.over === 'one'
        ? [symbol]
        : asked.over === 'some'
          ? asked.some
              .toUpperCase()
              .split(/[\s,;]+/)
              .filter((s) => s !== '')
          : must(
              await api.GET('/api/scout/symbols', { params: { query: { by: expectation.by } } }),
            );
    // Of several the same number of deviations is meant.
    const same =
      asked.over !== 'one' && e && expectation.unit === 'prices'
        ? {
            ...expectation,
            unit: 'deviations' as const,
            low: e.lowDeviations ?? null,
            high: e.highDeviations ?? null,
          }
        : expectation;
    const made = requestOf(asked, same, over);
    if ('body' in made) await search(made.body, now);
  };
  const made = expectation && requestOf(asked, expectation, [symbol || '?']);
  const wrong = [
    ...(made && 'wrong' in made ? made.wrong : []),
    ...(badSure(written) ? ['sure'] : []),
    ...(badEnds(written) ? ['region'] : []),
  ];
  const blocked = !e || wrong.length > 0 || answer.error !== null;
  const several = (found.request?.symbols.length ?? 1) > 1;
  return (
    <div className="flex flex-col gap-2 pt-1">
      <form
        aria-label="Expectation"
        className="flex flex-col gap-2"
        onSubmit={(f) => {
          f.preventDefault();
          if (!blocked) void start();
        }}
      >
        <ExpectFields symbols={symbols} symbol={symbol} e={e} at={at} />
        {answer.error && <Notice>{answer.error.message}</Notice>}
        {e && (
          <p data-testid="expected" className={answer.isPlaceholderData ? 'old' : ''}>
            {drawn ? (
              <>
                {symbol} {regionWords(e, (n) => fixed(n, decimalsFor(n)))} on {longDate(e.date)} (
                {e.days} d): the <Term of="marketChance">market</Term> gives it{' '}
                <b>{percent(e.market)} %</b>, I give it <b>{percent(e.sure)} %</b>; outside remain{' '}
                {percent(1 - e.sure)} %.
                {e.inside != null && e.elsewhere != null && (
                  <span className="text-ink2">
                    {' '}
                    Of all laws that say so, the nearest to the market’s: inside ×{' '}
                    {fixed(e.inside, 2)}, elsewhere × {fixed(e.elsewhere, 2)}.
                  </span>
                )}
              </>
            ) : (
              <>
                Drag a box ahead of {symbol}: prices from low to high, by a date; to the upper or
                the lower edge for an open side. Or write it above. One deviation until{' '}
                {longDate(e.date)} is {percent(e.deviation)} %.
              </>
            )}
          </p>
        )}
        <div className="grid grid-cols-[minmax(0,1.35fr)_minmax(0,1fr)] gap-4 max-lg:grid-cols-1">
          <div ref={measure} className="min-w-0 self-start rounded border border-hair">
            {e ? (
              <ExpectPicture
                e={e}
                symbol={symbol}
                drawn={drawn}
                width={Math.max(280, width - 2)}
                height={HEIGHT}
                onDraw={(d) => {
                  write({
                    unit: 'prices',
                    low: d.low === null ? '' : rounded(d.low),
                    high: d.high === null ? '' : rounded(d.high),
                    by: d.date,
                  });
                }}
              />
            ) : (
              <p className="p-3 text-ink2">Reading the market of {symbol}</p>
            )}
          </div>
          <SearchForm />
        </div>
        <div className="flex flex-wrap items-center gap-2">
          <Choices
            label="Over which underlyings"
            value={asked.over}
            onChange={(over) => {
              useAsked.setState({ over });
            }}
            choices={[
              { value: 'one', label: `${symbol} alone` },
              { value: 'some', label: 'several' },
              { value: 'all', label: 'all' },
            ]}
          />
          {asked.over === 'some' && (
            <input
              aria-label="Symbols"
              placeholder="NMOU, WXMR"
              value={asked.some}
              onChange={(f) => {
                useAsked.setState({ some: f.target.value });
              }}
              className="h-6 w-52 rounded border border-strong bg-raised px-2 font-semibold uppercase"
            />
          )}
          {asked.over !== 'one' && e && drawn && (
            <span className="text-ink2">
              the same for each:{' '}
              {regionWords(
                { low: e.lowDeviations, high: e.highDeviations },
                (n) => `${fixed(n, 2)} σ`,
              )}
            </span>
          )}
          <Button type="submit" weight="strong" disabled={blocked}>
            look
          </Button>
          {found.going && (
            <>
              <progress
                aria-label="How far the search is"
                value={found.part}
                max={1}
                className="h-2 w-40 accent-brass"
              />
              <Button onClick={stop}>stop</Button>
            </>
          )}
          {wrong.length > 0 && (
            <span role="alert" className="text-loss">
              makes no sense: {wrong.join(', ')}
            </span>
          )}
        </div>
      </form>
      {found.problem && <Notice>{found.problem}</Notice>}
      {found.request && (
        <>
          <div className={stale ? 'old' : ''}>
            <Judged />
          </div>
          {stale && !found.going && (
            <p role="status">What stands here was found for what was written before; look again.</p>
          )}
          {expectation && <ShortlistBar symbol={symbol} expectation={expectation} />}
          {found.rows.length > 0 ? (
            <div className={stale ? 'old' : ''}>
              <Candidates
                rows={found.rows}
                rank={found.request.weights ? 'own' : (found.request.rank ?? 'expectedPerCapital')}
                several={several}
                region={
                  e && drawn && found.request.symbols[0] === symbol
                    ? { low: e.low, high: e.high, lot: e.lot, spot: e.spot }
                    : undefined
                }
              />
            </div>
          ) : (
            !found.going && (
              <p className="text-ink2">
                Nothing is left within these limits; what ruled most of them out stands above.
              </p>
            )
          )}
        </>
      )}
    </div>
  );
}
