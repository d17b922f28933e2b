import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Balance } from '../../api/client';
import { balanceQuery } from '../../api/queries';
import { dayMonth, fixed } from '../../format';
import { cents, isNegative, money } from '../../money';
import { PartsTable } from '../../ticket/MarginSheet';
import { Asked } from '../../ui/Asked';
import { Button, Choices, Notice } from '../../ui/controls';

/** "250.00 less", "250.00 more". */
const effect = (takes: string) =>
  isNegative(takes) ? `${cents(takes.slice(1))} more` : `${cents(takes)} less`;

type Kind = 'cash' | 'margin' | 'portfolio';
const KINDS: Record<Kind, string> = {
  cash: 'Everything is paid in full from settled money; sold calls are covered by shares, sold puts secured by their whole strike.',
  margin:
    'Strategy rules: what stands together is paired for the least requirement; shares need half their value.',
  portfolio:
    'Each underlying needs its worst theoretical loss over ten moves of the price; needs an account of 100,000.',
};

const day = (date: string) => `${dayMonth(date)} ${date.slice(0, 4)}`;

function Rules({ b }: { b: Balance }) {
  const client = useQueryClient();
  const [amount, setAmount] = useState('');
  const again = async () => {
    await client.invalidateQueries({ queryKey: ['balance'] });
  };
  const set = useMutation({
    mutationFn: async (change: { kind?: Kind; level?: number; dayTradesByDate?: boolean }) => {
      must(
        await api.PUT('/api/account/rules', {
          body: {
            kind: b.kind,
            level: b.level,
            dayTradesByDate: b.dayTradesByDate,
            ...change,
          },
        }),
      );
    },
    onSuccess: again,
  });
  const pay = useMutation({
    mutationFn: async () => {
      must(await api.POST('/api/account/deposit', { body: { amount } }));
    },
    onSuccess: async () => {
      setAmount('');
      await again();
    },
  });
  const trouble = set.error ?? pay.error;
  const d = b.dayTrades;
  return (
    <section aria-label="Rules of the account" className="flex flex-col gap-2">
      <h2 className="font-semibold">Rules of the account</h2>
      <Choices
        label="Kind of the account"
        value={b.kind}
        onChange={(kind) => {
          set.mutate({ kind });
        }}
        choices={[
          { value: 'cash', label: 'cash' },
          { value: 'margin', label: 'margin' },
          { value: 'portfolio', label: 'portfolio' },
        ]}
      />
      <p className="text-ink2">
        {KINDS[b.kind]} Futures and SKRY are scanned over sixteen scenarios in every kind.
      </p>
      <label className="flex flex-col gap-1">
        approved up to
        <select
          aria-label="Level of approval"
          value={b.level}
          onChange={(e) => {
            set.mutate({ level: Number(e.target.value) });
          }}
          className="h-6 rounded border border-strong bg-raised px-1"
        >
          {b.levels.map((words, i) => (
            <option key={words} value={i}>
              level {i}
            </option>
          ))}
        </select>
      </label>
      <ol aria-label="What the levels allow" className="text-[12px] text-ink2">
        {b.levels.map((words, i) => (
          <li key={words} className={i === b.level ? 'font-semibold text-ink' : ''}>
            {words}
          </li>
        ))}
      </ol>
      <p className="text-ink2">
        What would be held afterwards counts, not what the order is called.
      </p>
      <div className="border-t border-hair pt-2">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={b.dayTradesByDate}
            onChange={(e) => {
              set.mutate({ dayTradesByDate: e.target.checked });
            }}
            className="accent-[var(--brass)]"
          />
          day trades are counted, as the dated rules say
        </label>
        {d && (
          <p data-testid="day-trades" className={d.forbids ? 'text-loss' : 'text-ink2'}>
            <b className="text-ink">{d.count}</b> of {d.most} free day trades in {d.sessions}{' '}
            sessions. More are a pattern and need an account of {money(d.value)}
            {d.forbids
              ? ': nothing is opened until then.'
              : d.pattern
                ? '; this one has it.'
                : '.'}{' '}
            Rule in force since <span className="whitespace-nowrap">{day(d.from)}</span>
            {d.until ? ` until ${day(d.until)}` : ''}.
            {d.trades.length > 0 && ` They were: ${d.trades.join('; ')}.`}
          </p>
        )}
        {!d && (
          <p className="text-ink2">
            {b.kind === 'cash' ? 'A cash account stands under no such rule.' : 'Not counted.'}
          </p>
        )}
      </div>
      <form
        className="flex items-center gap-2 border-t border-hair pt-2"
        onSubmit={(e) => {
          e.preventDefault();
          pay.mutate();
        }}
      >
        <label htmlFor="pay-in">pay paper money in</label>
        <input
          id="pay-in"
          inputMode="decimal"
          value={amount}
          onChange={(e) => {
            setAmount(e.target.value.trim());
          }}
          className="num h-6 w-24 rounded border border-strong bg-raised px-2 font-semibold"
        />
        <Button type="submit" disabled={amount === '' || pay.isPending}>
          Pay in
        </Button>
      </form>
      {trouble && <Notice>{trouble.message}</Notice>}
    </section>
  );
}

/** Where the account's money is, what margin holds of it and why, and what the account may do. */
export function AccountPart() {
  const balance = useQuery(balanceQuery);
  return (
    <Asked query={balance} what="account">
      {(b) => <BalanceFigures balance={b} />}
    </Asked>
  );
}

function BalanceFigures({ balance: b }: { balance: Balance }) {
  const rows: [string, string, string?][] = [
    ['account value', b.value],
    ['cash', b.cash],
    [`not settled before ${b.settles}`, b.unsettled],
    ['margin held', b.requirement],
    ['set aside for working orders', b.reserved],
    ['buying power for options', b.forOptions, 'options are paid in full'],
    [
      'buying power for shares',
      b.forShares,
      {
        cash: 'paid in full',
        margin: 'half their value is needed',
        portfolio: 'what they lose in a fall of 15 % is needed',
      }[b.kind],
    ],
  ];
  return (
    <>
      {b.deficit && (
        <Notice>
          The account is {money(b.deficit)} short. Until that is mended nothing is opened; closing
          stays possible.
        </Notice>
      )}
      <div className="grid grid-cols-[300px_minmax(0,1fr)_320px] gap-8 max-[1180px]:grid-cols-[280px_minmax(0,1fr)] max-md:grid-cols-[minmax(0,1fr)]">
        <div className="flex flex-col gap-5">
          <section aria-label="Money">
            <h2 className="pb-1 font-semibold">Money</h2>
            <table className="w-full">
              <tbody>
                {rows.map(([name, value, note]) => (
                  <tr key={name} className="border-b border-hair">
                    <th scope="row" className="py-1 text-left align-baseline font-normal">
                      {name}
                      {note && (
                        <span className="block text-[12px] leading-4 text-ink2">{note}</span>
                      )}
                    </th>
                    <td
                      className={`num align-baseline text-[14px] font-semibold ${isNegative(value) ? 'text-loss' : ''}`}
                    >
                      {money(value)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <p className="pt-1 text-[12px] text-ink2">
              Interest is left out: none is charged on what is borrowed, none paid on cash.
            </p>
          </section>
          <section>
            <h2 className="pb-1 font-semibold">If the market moves</h2>
            <table className="w-full" aria-label="If the market moves">
              <thead>
                <tr className="text-[12px] text-ink2">
                  <th scope="col" className="text-right font-normal">
                    index
                  </th>
                  <th scope="col" className="text-right font-normal">
                    margin held
                  </th>
                  <th scope="col" className="text-right font-normal">
                    buying power
                  </th>
                </tr>
              </thead>
              <tbody>
                {b.moved.map((p) => (
                  <tr
                    key={p.percent}
                    className={`border-b border-hair ${p.percent === 0 ? 'font-semibold' : ''}`}
                  >
                    <th scope="row" className="num font-normal">
                      {fixed(p.percent, 0, true)} %
                    </th>
                    <td className="num">{cents(p.requirement)}</td>
                    <td className={`num ${isNegative(p.buyingPower) ? 'text-loss' : ''}`}>
                      {cents(p.buyingPower)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <p className="pt-1 text-[12px] text-ink2">
              Everything by its beta, at once, volatility as the marks imply it.
            </p>
          </section>
        </div>
        <section aria-label="Margin by underlying">
          <h2 className="pb-1 font-semibold">Margin by underlying, and what stands together</h2>
          {b.held.length === 0 && (
            <p className="text-ink2">
              Nothing is held. Margin of open positions stands here, with the pairing that needs the
              least.
            </p>
          )}
          {b.held.map((h) => (
            <div key={h.symbol} className="border-b border-strong py-2">
              <div>
                <b>{h.symbol}</b> <span className="text-ink2">{h.requirement.regime}</span>
              </div>
              {h.requirement.parts.length === 0 ? (
                <p className="text-ink2">
                  nothing is needed: what is held is paid in full, or nothing sold stands uncovered
                </p>
              ) : (
                <PartsTable
                  parts={h.requirement.parts}
                  total={h.requirement.total}
                  name={`Margin of ${h.symbol}`}
                />
              )}
              <p className="flex flex-wrap gap-x-3 pt-0.5 text-[12px] text-ink2">
                <span>
                  {/[1-9]/.test(h.takes)
                    ? `it leaves ${effect(h.takes)} buying power`
                    : 'it changes no buying power'}
                </span>
                {/[1-9]/.test(h.saved) && (
                  <span>
                    one by one its legs would leave {effect(h.legByLeg)}; combining saves{' '}
                    {cents(h.saved)}
                  </span>
                )}
              </p>
            </div>
          ))}
        </section>
        <Rules b={b} />
      </div>
    </>
  );
}
