import { BASE, fileOf } from '../../api/base';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Day } from '../../api/client';
import { daysQuery } from '../../api/queries';
import { fixed, longDate } from '../../format';
import { cents, sum, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Choices } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { Page, Scroll } from '../../ui/Page';
import { DayNote, PartsOfDay } from '../rounds/Record';
import { Lines, type Told } from './Lines';

const amount = (text: string | undefined) => (
  <span className={tone(text)}>{cents(text, true)}</span>
);
const plain = (key: string, head: string, of: (d: Day) => string | undefined): Column<Day> => ({
  key,
  head,
  by: (d) => (of(d) === undefined ? undefined : Number(of(d))),
  cell: (d) => cents(of(d)),
});
const model = (
  key: string,
  head: string,
  decimals: number,
  of: (d: Day) => number | undefined,
): Column<Day> => ({
  key,
  head,
  by: of,
  cell: (d) => fixed(of(d), decimals, true),
});
type Part = 'delta' | 'gamma' | 'theta' | 'vega' | 'rate' | 'dividends' | 'trades' | 'other';
const part = (key: Part, head: string) => model(key, head, 0, (d) => d.figures?.parts[key]);
const date: Column<Day> = {
  key: 'date',
  head: 'close of',
  left: true,
  by: (d) => d.date,
  cell: (d) => <span className="whitespace-nowrap">{longDate(d.date)}</span>,
};
const total = (of: (d: Day) => string | undefined) => (rows: Day[]) =>
  amount(sum(rows.map(of).filter((t) => t !== undefined)));

const SETS: Record<string, Column<Day>[]> = {
  profit: [
    date,
    plain('value', 'account value', (d) => d.value),
    {
      key: 'deposits',
      head: 'paid in',
      by: (d) => Number(d.figures?.deposits),
      cell: (d) => (Number(d.figures?.deposits ?? 0) === 0 ? '' : cents(d.figures?.deposits)),
    },
    {
      key: 'profit',
      head: 'profit',
      by: (d) => Number(d.figures?.parts.total),
      cell: (d) => <b>{amount(d.figures?.parts.total)}</b>,
      total: total((d) => d.figures?.parts.total),
    },
    part('delta', 'delta'),
    part('gamma', 'gamma'),
    part('theta', 'theta'),
    part('vega', 'vega'),
    part('rate', 'interest'),
    part('dividends', 'dividends'),
    part('trades', 'new trades'),
    {
      key: 'fees',
      head: 'fees',
      by: (d) => Number(d.figures?.parts.fees),
      cell: (d) => cents(d.figures?.parts.fees),
      total: total((d) => d.figures?.parts.fees),
    },
    part('other', 'other'),
    plain('drawdown', 'drawdown', (d) => d.figures?.drawdown),
  ],
  book: [
    date,
    plain('cash', 'cash', (d) => d.figures?.cash),
    plain('power', 'buying power', (d) => d.figures?.buyingPower),
    plain('margin', 'margin', (d) => d.figures?.margin),
    model('lean', 'lean', 1, (d) => d.figures?.lean),
    model('leanMoney', 'for 1 %', 0, (d) => d.figures?.leanMoney),
    model('gamma', 'gamma', 3, (d) => d.figures?.gamma),
    model('theta', 'theta', 1, (d) => d.figures?.theta),
    model('vega', 'vega', 1, (d) => d.figures?.vega),
    model('rho', 'rho', 1, (d) => d.figures?.rho),
    ...[-5, -1, 1, 5].map((move, i) => ({
      key: `at${move}`,
      head: `index ${fixed(move, 0, true)} %`,
      by: (d: Day) => Number(d.figures?.atMoves[i < 2 ? i : i + 1]),
      cell: (d: Day) => amount(d.figures?.atMoves[i < 2 ? i : i + 1]),
    })),
  ],
  risk: [
    date,
    plain('up', 'best where it rises', (d) => d.figures?.riskUp),
    plain('down', 'where it falls', (d) => d.figures?.riskDown),
    plain('still', 'where it stays', (d) => d.figures?.riskStill),
    ...(['Symbol', 'Sector', 'Expiration'] as const).map((of) => ({
      key: of,
      head: `largest ${of.toLowerCase()}`,
      left: true,
      by: (d: Day) => Number(d.figures?.[`largest${of}`]?.amount),
      cell: (d: Day) => {
        const l = d.figures?.[`largest${of}`];
        return l && `${of === 'Expiration' ? longDate(l.name) : l.name} ${cents(l.amount)}`;
      },
    })),
    {
      key: 'missing',
      head: 'not told',
      left: true,
      cell: (d) => <span className="text-[12px] text-ink2">{d.figures?.missing.join('; ')}</span>,
    },
    {
      key: 'note',
      head: 'note',
      left: true,
      cell: (d) => <span className="text-[12px]">{d.note}</span>,
    },
  ],
};
type SetKey = 'profit' | 'book' | 'risk';

const LINES: Told[] = [
  { name: 'account value', of: (d) => Number(d.value), decimals: 0 },
  {
    name: 'drawdown',
    of: (d) => (d.figures ? Number(d.figures.drawdown) : undefined),
    decimals: 0,
  },
  { name: 'lean, index shares', of: (d) => d.figures?.lean, decimals: 1 },
  { name: 'theta a day', of: (d) => d.figures?.theta, decimals: 0 },
  {
    name: 'buying power',
    of: (d) => (d.figures ? Number(d.figures.buyingPower) : undefined),
    decimals: 0,
  },
  { name: 'vega a point', of: (d) => d.figures?.vega, decimals: 0 },
];

function Closes({ days }: { days: Day[] }) {
  const [set, setSet] = useState<SetKey>('profit');
  const last = days.at(-1);
  if (!last)
    return (
      <p className="text-ink2">
        A row is written at each close: value, profit and what made it, Greeks, moves of the index.
        The first comes with the next close.
      </p>
    );
  return (
    <div className="flex flex-col gap-4">
      <Lines days={days} told={LINES} />
      <div className="flex flex-col gap-1">
        <p>
          The close of {longDate(last.date)}: profit <b>{amount(last.figures?.parts.total)}</b>
        </p>
        <PartsOfDay day={last} />
        <div className="max-w-[520px]">
          <DayNote key={last.date} date={last.date} note={last.note} />
        </div>
      </div>
      <div className="flex items-center gap-3">
        <Choices
          label="Columns"
          value={set}
          onChange={setSet}
          choices={[
            { value: 'profit', label: 'profit and its parts' },
            { value: 'book', label: 'the book' },
            { value: 'risk', label: 'where it is at risk' },
          ]}
        />
        <a
          href={`${BASE}/api/days.csv`}
          download={fileOf('days.csv')}
          className="text-brass underline"
        >
          as CSV
        </a>
      </div>
      <Scroll label="Closes" className="max-h-[60vh]">
        <DataTable
          key={set}
          label="Closes"
          rows={days}
          columns={SETS[set] ?? []}
          id={(d) => d.date}
          usual={{ key: 'date', down: true }}
        />
      </Scroll>
    </div>
  );
}

/** A row of figures for each close, as lines and as a table. */
export function DaysView() {
  const days = useQuery(daysQuery);
  return (
    <Page title="Daily record">
      <Asked query={days} what="daily record">
        {(d) => <Closes days={d.days} />}
      </Asked>
    </Page>
  );
}
