import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link } from 'react-router';
import type { BookItem, BookLooked, Look } from '../../api/client';
import { fixed } from '../../format';
import { cents, isNegative } from '../../money';
import { Term } from '../../ui/terms';
import { choose, STEPS, stepsOf, useChosen } from './look';
import { marginsQuery } from './queries';

const HEADS: { head: React.ReactNode; key: string }[] = [
  { key: 'move', head: 'index' },
  { key: 'price', head: 'price then' },
  { key: 'profit', head: 'profit' },
  { key: 'of', head: '% of account' },
  { key: 'lean', head: <Term of="lean">lean after</Term> },
  { key: 'margin', head: <Term of="margin">margin after</Term> },
  { key: 'power', head: <Term of="buyingPower">buying power after</Term> },
];

/** Who makes and loses a cell, the largest first. */
function Who({ items, at }: { items: BookItem[]; at: number }) {
  const each = items
    .map((i) => ({ item: i, profit: i.moves[at] ?? 0 }))
    .sort((a, b) => Math.abs(b.profit) - Math.abs(a.profit));
  const most = Math.max(1, ...each.map((e) => Math.abs(e.profit)));
  return (
    <ul aria-label="Who makes and loses it" className="grid gap-x-6 gap-y-0.5 py-1 md:grid-cols-2">
      {each.map(({ item, profit }) => (
        <li key={item.key} className="flex items-center gap-2">
          <svg aria-hidden width={62} height={8} className="shrink-0">
            <line x1={31} x2={31} y1={0} y2={8} stroke="var(--strong)" />
            <rect
              x={profit < 0 ? 31 - (30 * -profit) / most : 31}
              y={1}
              height={6}
              width={(30 * Math.abs(profit)) / most}
              fill={profit < 0 ? 'var(--loss)' : 'var(--gain)'}
            />
          </svg>
          <b className={`num w-20 shrink-0 ${profit < 0 ? 'text-loss' : 'text-gain'}`}>
            {fixed(profit, 0, true)}
          </b>
          {item.source === 'campaign' ? (
            <Link to={`/campaign/${item.number ?? ''}`} className="truncate hover:text-brass">
              <b>{item.symbol}</b> {item.name}
            </Link>
          ) : (
            <span className="truncate">
              <b>{item.symbol}</b> {item.name}
            </span>
          )}
        </li>
      ))}
    </ul>
  );
}

function Steps() {
  const steps = useChosen((s) => s.steps);
  const days = useChosen((s) => s.days);
  const [text, setText] = useState<string>();
  const wrong = text !== undefined && stepsOf(text) === undefined;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-ink2">
      <label className="flex items-center gap-2">
        moves either way, %
        <input
          value={text ?? steps.join(', ')}
          aria-invalid={wrong}
          onBlur={() => {
            setText(undefined);
          }}
          onChange={(e) => {
            setText(e.target.value);
            const read = stepsOf(e.target.value);
            if (read) choose({ steps: read });
          }}
          className="h-6 w-48 rounded border border-strong bg-raised px-2 text-ink"
        />
      </label>
      {wrong && (
        <span role="alert" className="text-loss">
          Write steps above 0 and up to 99, parted by commas, 20 at most: 1, 2.5, 10.
        </span>
      )}
      {steps.join() !== STEPS.join() && (
        <button
          type="button"
          className="text-brass underline"
          onClick={() => {
            choose({ steps: STEPS });
            setText(undefined);
          }}
        >
          as it was
        </button>
      )}
      <label className="flex items-center gap-2">
        days on
        <input
          type="number"
          min={0}
          max={365}
          value={days}
          onChange={(e) => {
            choose({ days: Math.min(365, Math.max(0, Number(e.target.value) || 0)) });
          }}
          className="num h-6 w-16 rounded border border-strong bg-raised px-1 text-ink"
        />
      </label>
    </div>
  );
}

/** The table of moves: profit, margin, buying power and lean after each; a row opens to who makes and loses it. */
export function MoveTable({ looked: b, look }: { looked: BookLooked; look: Look }) {
  const [open, setOpen] = useState<number>();
  const [range, setRange] = useState(10);
  const margins = useQuery(
    marginsQuery(
      look,
      b.table.map((r) => r.percent),
    ),
  );
  const on = b.items.filter((i) => i.on);
  const inside = b.table.filter((r) => Math.abs(r.percent) <= range);
  const worst = inside.reduce<(typeof inside)[number] | undefined>(
    (w, r) => (w && w.profit <= r.profit ? w : r),
    undefined,
  );
  return (
    <section aria-label="Table of moves" className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center justify-between gap-2">
        <p data-testid="stress">
          <label className="text-ink2">
            within{' '}
            <select
              value={range}
              onChange={(e) => {
                setRange(Number(e.target.value));
              }}
              className="h-6 rounded border border-strong bg-raised px-1"
            >
              {[5, 10, 15, 20, 99].map((r) => (
                <option key={r} value={r}>
                  {r === 99 ? 'all rows' : `±${r} %`}
                </option>
              ))}
            </select>
          </label>{' '}
          <Term of="stressLoss" />{' '}
          <b className={worst && worst.profit < 0 ? 'text-loss' : ''}>
            {worst && worst.profit < 0 ? fixed(-worst.profit, 0) : 'none'}
          </b>
          {worst && worst.profit < 0 && (
            <span className="text-ink2">
              {' '}
              at {fixed(worst.percent, 1, true)} %
              {worst.ofAccount == null ? '' : `, ${fixed(-worst.ofAccount, 1)} % of the account`}
            </span>
          )}
        </p>
        <Steps />
      </div>
      <table aria-label="Moves of the index" className="w-full">
        <thead>
          <tr className="border-b border-strong text-[12px] text-ink2">
            {HEADS.map((h) => (
              <th
                key={h.key}
                scope="col"
                className={`px-2 py-1 text-right font-normal ${['price', 'margin', 'of'].includes(h.key) ? 'max-md:hidden' : ''}`}
              >
                {h.head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {b.table.map((r, i) => {
            const m = margins.data?.rows.find((x) => x.percent === r.percent);
            const opened = open === r.percent;
            return (
              <Fragment key={r.percent}>
                <tr
                  className={`border-b border-hair ${r.percent === 0 ? 'font-semibold' : ''} ${worst && worst.profit < 0 && worst.percent === r.percent ? 'bg-warm' : ''}`}
                >
                  <th scope="row" className="num px-2 py-0.5 font-normal whitespace-nowrap">
                    {fixed(r.percent, 1, true)} %
                  </th>
                  <td className="num px-2 max-md:hidden">{fixed(r.price, 2)}</td>
                  <td className="num px-2">
                    <button
                      type="button"
                      aria-expanded={opened}
                      title="Who makes and loses it"
                      className={`underline decoration-hair underline-offset-2 hover:decoration-brass ${r.profit < 0 ? 'text-loss' : r.profit > 0 ? 'text-gain' : ''}`}
                      onClick={() => {
                        setOpen(opened ? undefined : r.percent);
                      }}
                    >
                      {fixed(r.profit, 0, true)}
                    </button>
                  </td>
                  <td className="num px-2 max-md:hidden">{fixed(r.ofAccount, 1, true)}</td>
                  <td className="num px-2">{fixed(r.lean, 1, true)}</td>
                  <td className="num px-2 max-md:hidden">{m ? cents(m.margin) : ''}</td>
                  <td className={`num px-2 ${isNegative(m?.buyingPower) ? 'text-loss' : ''}`}>
                    {m ? cents(m.buyingPower) : ''}
                  </td>
                </tr>
                {opened && (
                  <tr className="border-b border-strong bg-raised">
                    <td colSpan={HEADS.length} className="px-2">
                      <Who items={on} at={i} />
                    </td>
                  </tr>
                )}
              </Fragment>
            );
          })}
        </tbody>
      </table>
      <p className="text-[12px] text-ink2">
        Every leg is valued anew by its model: early exercise, dividends and ends on the way; what
        has ended counts its exercise value at the price of the row. What is considered counts from
        its value now. Margin is that of the marks moved along, entered or closed at the middle.
      </p>
    </section>
  );
}
