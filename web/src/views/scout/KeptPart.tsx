import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, must, type Expectations, type KeptExpectation } from '../../api/client';
import { fixed, longDate, percent, shortWhen } from '../../format';
import { isNegative, money, negated, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { decimalsFor, regionWords, rounded, useWritten } from './asked';
import { expectationsQuery } from './queries';

type Tenth = Expectations['tenths'][number];
const TENTHS: Column<Tenth>[] = [
  {
    key: 'sure',
    head: 'sure by',
    left: true,
    by: (t) => t.from,
    cell: (t) => `${t.from} to ${t.to} %`,
  },
  { key: 'count', head: 'came due', by: (t) => t.count, cell: (t) => t.count },
  { key: 'mean', head: 'I said, %', by: (t) => t.sure, cell: (t) => percent(t.sure, 0) },
  {
    key: 'market',
    head: 'the market said, %',
    by: (t) => t.market,
    cell: (t) => percent(t.market, 0),
  },
  {
    key: 'right',
    head: 'came so, %',
    by: (t) => t.right / t.count,
    cell: (t) => (
      <>
        {percent(t.right / t.count, 0)} <span className="text-ink2">of {t.count}</span>
      </>
    ),
  },
];

/** One that is kept: what was expected, what came, what each structure of its shortlist made. */
function Kept({ k }: { k: KeptExpectation }) {
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ['scout', 'expectations'] });
  const path = { id: k.id };
  const take = useMutation({
    mutationFn: async (index: number) => {
      must(
        await api.PUT('/api/scout/expectations/{id}', {
          params: { path },
          body: {
            symbol: k.symbol,
            expectation: k.expectation,
            note: k.note,
            shortlist: k.shortlist.map((s, i) => ({
              legs: s.legs,
              chosen: i === index && !s.chosen,
            })),
          },
        }),
      );
    },
    onSuccess: again,
  });
  const away = useMutation({
    mutationFn: async () => {
      must(await api.DELETE('/api/scout/expectations/{id}', { params: { path } }));
    },
    onSuccess: again,
  });
  const problem = take.error ?? away.error;
  return (
    <li className="flex flex-col gap-1 border-b border-hair py-2">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <span>
          <b>{k.symbol}</b> {regionWords(k.expectation, (n) => fixed(n, decimalsFor(n)))} on{' '}
          {longDate(k.expectation.by)}
        </span>
        <span className="text-ink2">
          kept {shortWhen(k.made)} at {fixed(k.spot, 2)}; I was sure by{' '}
          <b className="text-ink">{percent(k.sure, 0)} %</b>, the market by {percent(k.market, 0)} %
        </span>
        <span>
          {k.right == null ? (
            'not due yet'
          ) : (
            <>
              it was {fixed(k.price, 2)}: <b>{k.right ? 'came so' : 'came otherwise'}</b>
            </>
          )}
        </span>
        <span className="ml-auto flex gap-1.5">
          <Link
            to={`/scout/expect/${k.symbol}`}
            className="rounded border border-strong bg-raised px-2 leading-[22px] font-semibold hover:border-brass"
            onClick={() => {
              const text = (n: number | null | undefined) => (n == null ? '' : rounded(n));
              useWritten.setState({
                symbol: k.symbol,
                unit: 'prices',
                low: text(k.expectation.low),
                high: text(k.expectation.high),
                sure: (100 * k.sure).toFixed(0),
                law: k.expectation.law ?? 'flat',
                ...(k.right == null ? { by: k.expectation.by } : {}),
              });
            }}
          >
            expect it again
          </Link>
          <Button
            aria-label={`throw away the expectation on ${k.symbol}`}
            disabled={away.isPending}
            onClick={() => {
              away.mutate();
            }}
          >
            throw away
          </Button>
        </span>
      </div>
      {k.note !== '' && <p className="font-serif">{k.note}</p>}
      {k.shortlist.length > 0 && (
        <ul className="flex flex-col gap-0.5">
          {k.shortlist.map((s, i) => (
            <li key={s.legs.map((l) => l.contract).join()} className="flex items-center gap-3">
              <Button
                aria-pressed={s.chosen}
                className={s.chosen ? '!border-brass !bg-brass-soft text-brass' : ''}
                disabled={take.isPending}
                onClick={() => {
                  take.mutate(i);
                }}
              >
                {s.chosen ? 'taken' : 'not taken'}
              </Button>
              <span>{s.name}</span>
              <span className="text-ink2">
                {isNegative(s.paid)
                  ? `received ${money(negated(s.paid))} after fees`
                  : `paid ${money(s.paid)} with fees`}
              </span>
              {s.made != null && (
                <span>
                  made <b className={tone(s.made)}>{money(s.made, true)}</b> by its date
                </span>
              )}
            </li>
          ))}
        </ul>
      )}
      {problem && <Notice>{problem.message}</Notice>}
    </li>
  );
}

/** Expectations that were kept: what came of them, and how sure I was against how often I was right. */
export function KeptPart() {
  const all = useQuery(expectationsQuery);
  return (
    <Asked query={all} what="expectations">
      {(v) => {
        const due = v.tenths.reduce((n, t) => n + t.count, 0);
        return v.kept.length === 0 ? (
          <p className="pt-2 text-ink2">
            Expectations that you keep come back here when their date has passed: what you expected,
            what came, and how often you were right when you were so sure.
          </p>
        ) : (
          <div className="grid grid-cols-[minmax(0,1fr)_minmax(300px,400px)] gap-6 max-lg:grid-cols-1">
            <ul>
              {v.kept.map((k) => (
                <Kept key={k.id} k={k} />
              ))}
            </ul>
            <section aria-label="Calibration" className="pt-2">
              {due === 0 ? (
                <p className="text-ink2">None has come to its date yet.</p>
              ) : (
                <>
                  <DataTable
                    label="How sure, how often right"
                    rows={v.tenths}
                    columns={TENTHS}
                    id={(t) => t.from}
                  />
                  <p className="pt-1 text-[12px] text-ink2">
                    Who is sure by 70 % and right by 70 % is calibrated.
                    {due < 20 &&
                      ` ${due} ${due === 1 ? 'is' : 'are'} few: chance alone moves these figures.`}
                  </p>
                </>
              )}
            </section>
          </div>
        );
      }}
    </Asked>
  );
}
