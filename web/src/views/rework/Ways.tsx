import { useMutation } from '@tanstack/react-query';
import { Fragment } from 'react';
import { Link } from 'react-router';
import {
  api,
  must,
  type Leg,
  type ReworkAt,
  type WaysFound,
  type WaysMeasure,
} from '../../api/client';
import { fixed, percent } from '../../format';
import { cents, money, tone } from '../../money';
import { Button, Notice } from '../../ui/controls';
import { kept } from '../../ui/kept';
import { Term } from '../../ui/terms';

/** Limits as they are written; empty is none. */
type Written = {
  credit: string;
  loss: string;
  daysFrom: string;
  daysTo: string;
  leanFrom: string;
  leanTo: string;
  capital: string;
  width: string;
  measure: WaysMeasure;
};
const useWritten = kept<Written>('ways-out', {
  credit: '',
  loss: '',
  daysFrom: '',
  daysTo: '',
  leanFrom: '',
  leanTo: '',
  capital: '',
  width: '',
  measure: 'chance',
});
type Field = Exclude<keyof Written, 'measure'>;

/** The fields, by what they limit; two of them are from and to. */
const FIELDS: [string, [Field, string][]][] = [
  ['received at least', [['credit', 'Received at least']]],
  ['max loss at most', [['loss', 'Max loss at most']]],
  [
    'days',
    [
      ['daysFrom', 'Days from'],
      ['daysTo', 'Days to'],
    ],
  ],
  [
    'lean of the book',
    [
      ['leanFrom', 'Lean from'],
      ['leanTo', 'Lean to'],
    ],
  ],
  ['capital at most', [['capital', 'Capital at most']]],
  ['market no wider than', [['width', 'Market no wider than']]],
];
const MEASURES: [WaysMeasure, string][] = [
  ['chance', 'chance of profit'],
  ['creditADay', 'received a day'],
  ['lean', 'lean nearest to zero'],
  ['loss', 'least max loss'],
  ['room', 'room to break-even'],
];

type Search = { at: ReworkAt; written: Written };

const look = async (id: number, { at, written: w }: Search) => {
  const text = (s: string) => (s.trim() === '' ? null : s.trim().replace('−', '-'));
  const number = (s: string, whole = false) => {
    const given = text(s);
    if (given === null) return null;
    const n = Number(given);
    if (Number.isNaN(n) || (whole && !Number.isInteger(n)))
      throw new Error(
        whole
          ? `“${given}” is not a whole number of days; write one such as 45, or nothing.`
          : `“${given}” is not a lean; write a number such as −20 or 35.5, or nothing.`,
      );
    return n;
  };
  return must(
    await api.POST('/api/campaigns/{campaign}/ways', {
      params: { path: { campaign: id } },
      body: {
        at,
        measure: w.measure,
        limits: {
          credit: text(w.credit),
          loss: text(w.loss),
          daysFrom: number(w.daysFrom, true),
          daysTo: number(w.daysTo, true),
          leanFrom: number(w.leanFrom),
          leanTo: number(w.leanTo),
          capital: text(w.capital),
          width: text(w.width),
        },
      },
    }),
  );
};

/** What could be done: all moves over what is listed, within limits, the best by a measure. */
export function Ways({
  id,
  at,
  onTake,
}: {
  id: number;
  at: ReworkAt;
  onTake: (then: Leg[]) => void;
}) {
  const written = useWritten();
  const found = useMutation({ mutationFn: (search: Search) => look(id, search) });
  const asked = { at, written };
  // What was found is for what was asked then.
  const other = JSON.stringify(found.variables) !== JSON.stringify(asked);
  const write = (part: Partial<Written>) => {
    useWritten.setState(part);
  };
  return (
    <section aria-label="Ways out" className="flex flex-col gap-1.5 border-t border-strong pt-2">
      <form
        className="flex flex-wrap items-end gap-x-3 gap-y-1"
        onSubmit={(e) => {
          e.preventDefault();
          found.mutate(asked);
        }}
      >
        <h2 className="w-full font-serif text-[16px]">
          <Term of="waysOut">Ways out</Term>
        </h2>
        {FIELDS.map(([name, fields]) => (
          <div key={name} className="flex flex-col text-[12px]">
            <span className="text-ink2">{name}</span>
            <span className="flex gap-1">
              {fields.map(([field, label]) => (
                <input
                  key={field}
                  aria-label={label}
                  inputMode="decimal"
                  placeholder="any"
                  value={written[field]}
                  onChange={(e) => {
                    write({ [field]: e.target.value });
                  }}
                  className={`num h-6 rounded border border-strong bg-raised px-1.5 placeholder:text-ink2 ${fields.length > 1 ? 'w-12' : 'w-20'}`}
                />
              ))}
            </span>
          </div>
        ))}
        <label className="flex flex-col text-[12px]">
          <span className="text-ink2">best by</span>
          <select
            value={written.measure}
            onChange={(e) => {
              write({ measure: e.target.value as WaysMeasure });
            }}
            className="h-6 rounded border border-strong bg-raised px-1"
          >
            {MEASURES.map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
        <Button type="submit" weight="strong" disabled={found.isPending}>
          Look for ways out
        </Button>
      </form>
      {found.error && <Notice>{found.error.message}</Notice>}
      {found.isPending && <p className="text-ink2">Looking through every move</p>}
      {found.data && (
        <>
          {other && (
            <p className="text-brass">
              <span aria-hidden>◆ </span>This was found for other limits: look again.
            </p>
          )}
          <div aria-busy={other} className={other ? 'old' : ''}>
            <Found found={found.data} onTake={onTake} />
          </div>
        </>
      )}
    </section>
  );
}

function Found({ found: f, onTake }: { found: WaysFound; onTake: (then: Leg[]) => void }) {
  const count = (n: number) => fixed(n, 0);
  const said = [
    `${count(f.looked)} changes were looked at, ${count(f.kept)} keep within the limits`,
    ...f.ruledOut.map((r) => `${count(r.count)} ${r.why}`),
  ];
  return (
    <>
      <p role="status" className="text-ink2">
        {said.join('; ')}.
        {f.ways.length > 0 &&
          ' Here are the best, at most three of one kind, as of the moment they were looked for.'}
      </p>
      {f.byRule.length > 0 && <p className="text-ink2">By my rules: {f.byRule.join(', ')}.</p>}
      {f.waiting.length > 0 && (
        <Notice>
          {`Order ${f.waiting.join(' and ')} waits to close some of what is held, so the ticket refuses whatever else would close it. `}
          <Link to="/orders" className="underline underline-offset-2">
            Cancel it among the orders
          </Link>
          , then look again.
        </Notice>
      )}
      {f.ways.length > 0 && (
        <div className="overflow-x-auto">
          <table className="w-full tabular-nums" aria-label="Ways out">
            <thead>
              <tr className="text-[12px] text-ink2">
                <th className="text-left font-normal">way</th>
                <th className="num pl-2 font-normal">net</th>
                <th className="num pl-2 font-normal">chance</th>
                <th className="num pl-2 font-normal">max profit</th>
                <th className="num pl-2 font-normal">max loss</th>
                <th className="num pl-2 font-normal">days</th>
                <th className="num pl-2 font-normal">lean</th>
                <th className="num pl-2 font-normal">capital</th>
              </tr>
            </thead>
            <tbody>
              {f.ways.map((w, i) => (
                <Fragment key={i}>
                  <tr className="border-t border-hair align-baseline">
                    <th scope="row" className="pt-1 text-left font-semibold">
                      {w.name}
                    </th>
                    <td className={`num pl-2 font-semibold ${tone(w.cash)}`}>
                      {cents(w.cash, true)}
                    </td>
                    <td className="num pl-2">{percent(w.chance, 0)} %</td>
                    <td className="num pl-2">
                      {w.most.unlimited ? 'no limit' : money(w.most.profit, true)}
                    </td>
                    <td className="num pl-2">
                      {w.least.unlimited ? 'no limit' : money(w.least.profit, true)}
                    </td>
                    <td className="num pl-2">{w.days}</td>
                    <td className="num pl-2">{fixed(w.lean, 1, true)}</td>
                    <td className="num pl-2">{money(w.capital)}</td>
                  </tr>
                  <tr>
                    <td colSpan={8} className="pb-1.5 whitespace-normal!">
                      <Button
                        aria-label={`take over: ${w.words}`}
                        className="float-right ml-3"
                        onClick={() => {
                          onTake(w.then);
                        }}
                      >
                        take
                      </Button>
                      {w.words}.{' '}
                      <span className="text-ink2">
                        It {w.why}; B/E {w.evens.map((e) => money(e.from)).join(' · ') || 'none'}.
                      </span>
                    </td>
                  </tr>
                </Fragment>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
