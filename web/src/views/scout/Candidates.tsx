import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { useState } from 'react';
import type { Candidate } from '../../api/client';
import { dayMonth, fixed, percent } from '../../format';
import { cents, money } from '../../money';
import { Button } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { Term } from '../../ui/terms';
import { isShare, type Asked } from './asked';
import { CandidatePanel } from './CandidatePanel';

/** So many at first. */
const SCREENFUL = 12;

export const keyOf = (c: Candidate) => c.legs.map((l) => `${l.quantity} ${l.contract}`).join('; ');
const round = (n: number | null | undefined) =>
  n == null ? 'no limit' : fixed(n, Math.abs(n) >= 1000 ? 0 : 2);

/** A small outline: price across, profit up. */
function Glyph({ c }: { c: Candidate }) {
  const x = scaleLinear([c.prices[0] ?? 0, c.prices.at(-1) ?? 1], [1, 51]);
  const y = scaleLinear([Math.min(0, ...c.profits), Math.max(0, ...c.profits)], [17, 2]);
  const path =
    line<number>()
      .x((_, i) => x(c.prices[i] ?? 0))
      .y((v) => y(v))(c.profits) ?? '';
  return (
    <svg aria-hidden width={52} height={19} className="inline-block">
      <line x1={0} x2={52} y1={y(0)} y2={y(0)} stroke="var(--strong)" strokeWidth={0.75} />
      <path d={path} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
    </svg>
  );
}

/** One's own figure, the market's below it. */
const both = (own: string, market: string) => (
  <span className="inline-flex flex-col leading-4">
    <b>{own}</b>
    <span className="text-[12px] text-ink2">{market}</span>
  </span>
);

/** What was found, best first; a row opens on its picture with the region. */
export function Candidates({
  rows,
  rank,
  several,
  region,
}: {
  rows: Candidate[];
  rank: Asked['rank'];
  /** Of more than one underlying. */
  several: boolean;
  /** Where the price is expected, of one underlying. */
  region?: { low?: number | null; high?: number | null; lot?: number | null; spot: number };
}) {
  const [opened, open] = useState<string>();
  const [whole, setWhole] = useState(false);
  const measure = (c: Candidate) =>
    c.rank == null
      ? '—'
      : rank !== 'own' && isShare(rank)
        ? `${percent(c.rank, 1)} %`
        : fixed(c.rank, 2);
  const columns: Column<Candidate>[] = [
    { key: 'glyph', head: 'shape', name: '', left: true, cell: (c) => <Glyph c={c} /> },
    {
      key: 'structure',
      head: 'structure',
      name: '',
      left: true,
      cell: (c) => (
        <button
          type="button"
          aria-expanded={opened === keyOf(c)}
          className="min-w-52 text-left leading-4 hover:text-brass"
          onClick={() => {
            open(opened === keyOf(c) ? undefined : keyOf(c));
          }}
        >
          <b>
            {several ? `${c.symbol} ` : ''}
            {c.name}
          </b>{' '}
          {c.strikes}
          <br />
          <span
            className="text-[12px] text-ink2"
            title={
              c.like > 0
                ? 'of the same family, strikes within a quarter of a deviation of its own'
                : undefined
            }
          >
            {c.expiries.map(dayMonth).join(' and ')}
            {c.like > 0 && `, and ${c.like} like it`}
          </span>
        </button>
      ),
    },
    {
      key: 'net',
      head: 'net',
      by: (c) => Number(c.net),
      cell: (c) => (
        <span className="whitespace-nowrap">
          {money(c.price.amount)} <span className="text-ink2">{c.price.side}</span>
        </span>
      ),
    },
    {
      key: 'most',
      head: 'max profit',
      by: (c) => c.maxProfit ?? Infinity,
      cell: (c) => round(c.maxProfit),
    },
    {
      key: 'least',
      head: 'max loss',
      by: (c) => c.maxLoss ?? Infinity,
      cell: (c) => round(c.maxLoss),
    },
    {
      key: 'chance',
      head: <Term of="ownChance" />,
      name: 'chance',
      by: (c) => c.ownChance,
      cell: (c) => both(`${percent(c.ownChance, 0)} %`, `${percent(c.marketChance, 0)} %`),
    },
    {
      key: 'expected',
      head: <Term of="ownExpected" />,
      name: 'expected',
      by: (c) => c.ownExpected,
      cell: (c) => both(fixed(c.ownExpected, 2, true), fixed(c.marketExpected, 2, true)),
    },
    {
      key: 'worst',
      head: <Term of="worstTwentieth" />,
      name: 'worst 5 %',
      by: (c) => c.ownWorst5,
      cell: (c) => fixed(c.ownWorst5, 0),
    },
    {
      key: 'capital',
      head: 'capital',
      by: (c) => Number(c.capital),
      cell: (c) => cents(c.capital),
    },
    { key: 'rank', head: 'measure', by: (c) => c.rank, cell: (c) => <b>{measure(c)}</b> },
    {
      key: 'against',
      head: 'what speaks against it',
      left: true,
      cell: (c) =>
        c.against.length > 0 && (
          <span className="text-[12px] leading-4 text-ink2">
            {c.against[0]}
            {c.against.length > 1 && ` (and ${c.against.length - 1} more)`}
          </span>
        ),
    },
  ];
  const rest = rows.length - SCREENFUL;
  return (
    <>
      <DataTable
        label="Candidates"
        rows={rows}
        most={whole ? undefined : SCREENFUL}
        columns={columns}
        id={keyOf}
        under={(c) =>
          opened === keyOf(c) && <CandidatePanel c={c} region={several ? undefined : region} />
        }
      />
      {rest > 0 && (
        <Button
          className="mt-2"
          aria-expanded={whole}
          onClick={() => {
            setWhole(!whole);
          }}
        >
          {whole ? `the best ${SCREENFUL} alone` : `${rest} more`}
        </Button>
      )}
    </>
  );
}
