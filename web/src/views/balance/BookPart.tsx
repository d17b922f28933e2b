import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { BookLooked } from '../../api/client';
import { shelfQuery } from '../../api/queries';
import { useDrafts } from '../../drafts/store';
import { fixed, shortWhen } from '../../format';
import { Asked } from '../../ui/Asked';
import { Choices, Notice } from '../../ui/controls';
import { useMeasured } from '../../ui/measured';
import { useNarrow } from '../../ui/narrow';
import { Term } from '../../ui/terms';
import { BookMap } from './BookMap';
import { Chips } from './Chips';
import { Days } from './Days';
import {
  choose,
  considered,
  datesOf,
  lookOf,
  requestOf,
  useChosen,
  useTrial,
  type Chosen,
} from './look';
import { Mend } from './Mend';
import { MoveLines } from './MoveLines';
import { MoveTable } from './MoveTable';
import { Parts } from './Parts';
import { bookLookedQuery } from './queries';
import { Scales } from './Scales';
import { Settings } from './Settings';
import { TailsPart } from './TailsPart';

const SECTIONS: { value: Chosen['section']; label: string }[] = [
  { value: 'moves', label: 'table of moves' },
  { value: 'parts', label: 'who holds it' },
  { value: 'mend', label: 'mend' },
  { value: 'ahead', label: 'alone and together' },
  { value: 'days', label: 'days explained' },
];

/** "A fall of 5 % loses 1,957, 3.2 % of the account." */
function said(b: BookLooked): string {
  const one = (percent: number) => {
    const row = b.table.find((r) => r.percent === percent);
    if (!row) return '';
    const way = percent < 0 ? 'fall' : 'rise';
    const does = row.profit < 0 ? 'loses' : 'makes';
    const of =
      row.ofAccount == null ? '' : `, ${fixed(Math.abs(row.ofAccount), 1)} % of the account`;
    return `A ${way} of ${b.index} by ${fixed(Math.abs(percent), 0)} % ${does} ${fixed(Math.abs(row.profit), 0)}${of}.`;
  };
  if (!b.items.some((i) => i.on)) return 'Nothing is switched in.';
  const t = b.total;
  const day =
    t.theta < 0 ? `A day costs ${fixed(-t.theta, 0)}.` : `A day earns ${fixed(t.theta, 0)}.`;
  return [one(-5), one(5), day].filter(Boolean).join(' ');
}

function Totals({ b }: { b: BookLooked }) {
  const t = b.total;
  const rows: [React.ReactNode, string, string][] = [
    [
      <Term key="l" of="lean" />,
      `${fixed(t.lean, 2, true)} shares of ${b.index}`,
      `${fixed(t.leanMoney, 0, true)} for 1 %`,
    ],
    [
      <Term key="g" of="indexGamma" />,
      `${fixed(t.gamma, 4, true)} a point`,
      `${fixed(t.gammaMoney, 0, true)} for 1 % more`,
    ],
    [
      <Term key="t" of="theta">
        theta
      </Term>,
      `${fixed(t.theta, 2, true)} a day`,
      '',
    ],
    [
      <Term key="v" of="bookVega" />,
      `${fixed(t.vega, 1, true)} a point`,
      `${fixed(t.weightedVega, 1, true)} weighted`,
    ],
    [<Term key="r" of="rho" />, `${fixed(t.rho, 1, true)} a point`, ''],
    [<Term key="c" of="atRisk" />, fixed(t.risk, 0), ''],
  ];
  return (
    <table className="w-full" aria-label="The whole book">
      <tbody>
        {rows.map(([name, value, more], i) => (
          <tr key={i} className="border-b border-hair align-baseline">
            <th scope="row" className="py-0.5 pr-2 text-left font-normal text-ink2">
              {name}
            </th>
            <td className="num font-semibold whitespace-nowrap">{value}</td>
            <td className="num pl-3 whitespace-nowrap text-ink2">{more}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Days on that have a line, beside today and the last end. */
function Dates() {
  const dates = useChosen((s) => s.dates);
  const [text, setText] = useState<string>();
  const wrong = text !== undefined && datesOf(text) === undefined;
  return (
    <label className="flex items-center gap-1 text-ink2">
      lines today, at the last end, and in days
      <input
        value={text ?? dates.join(', ')}
        aria-invalid={wrong}
        onBlur={() => {
          setText(undefined);
        }}
        onChange={(e) => {
          setText(e.target.value);
          const read = datesOf(e.target.value);
          if (read) choose({ dates: read });
        }}
        className="h-6 w-24 rounded border border-strong bg-raised px-2 text-ink"
      />
      {wrong && (
        <span role="alert" className="text-loss">
          whole days, four at most
        </span>
      )}
    </label>
  );
}

/** The whole book in one index, under any market, with what is only being considered. */
export function BookPart() {
  const chosen = useChosen();
  const trial = useTrial((s) => s.trial);
  const tray = useDrafts((s) => s.drafts);
  const shelf = useQuery(shelfQuery);
  const all = useMemo(() => considered(chosen, tray, shelf.data ?? {}), [chosen, tray, shelf.data]);
  const plain = useMemo(() => lookOf(chosen, all), [chosen, all]);
  const look = useMemo(() => lookOf(chosen, all, trial), [chosen, all, trial]);
  const request = useMemo(() => requestOf(chosen, look), [chosen, look]);
  const looked = useQuery(bookLookedQuery(request));
  // What it was before the trial stays in sight beside it.
  const before = useQuery({
    ...bookLookedQuery(requestOf(chosen, plain)),
    enabled: trial !== undefined,
  });
  const [box, width] = useMeasured();
  const narrow = useNarrow();
  const height = narrow ? 320 : 372;
  return (
    <div className="flex flex-col gap-2 pt-1">
      <Settings looked={looked.data} />
      <Chips looked={looked.data} all={all} />
      <Asked query={looked} what="book">
        {(b) => (
          <>
            {b.missing.length > 0 && <Notice>{b.missing.join('; ')}</Notice>}
            <div
              aria-busy={looked.isPlaceholderData}
              className={`${looked.isPlaceholderData ? 'old ' : ''}grid grid-cols-[minmax(0,1fr)_400px] gap-5 max-[1180px]:grid-cols-[minmax(0,1fr)_340px] max-md:grid-cols-[minmax(0,1fr)]`}
            >
              <section aria-label="Picture of the book">
                <div className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-1">
                  <Choices
                    label="Picture"
                    value={chosen.picture}
                    onChange={(picture) => {
                      choose({ picture });
                    }}
                    choices={[
                      { value: 'map', label: 'book map' },
                      { value: 'lines', label: 'lines over the move' },
                    ]}
                  />
                  <label className="flex items-center gap-1 text-ink2">
                    index within
                    <select
                      value={chosen.reach}
                      onChange={(e) => {
                        choose({ reach: Number(e.target.value) });
                      }}
                      className="h-6 rounded border border-strong bg-raised px-1"
                    >
                      {[5, 10, 15, 20, 30].map((r) => (
                        <option key={r} value={r}>
                          ±{r} %
                        </option>
                      ))}
                    </select>
                  </label>
                  {chosen.picture === 'lines' && <Dates />}
                  {chosen.picture === 'map' && (
                    <label className="flex items-center gap-1 text-ink2">
                      days ahead
                      <select
                        value={chosen.ahead}
                        onChange={(e) => {
                          choose({ ahead: Number(e.target.value) });
                        }}
                        className="h-6 rounded border border-strong bg-raised px-1"
                      >
                        <option value={0}>to the last end, 60 at most</option>
                        {[7, 14, 30, 60, 120].map((d) => (
                          <option key={d} value={d}>
                            {d}
                          </option>
                        ))}
                      </select>
                    </label>
                  )}
                  <span className="ml-auto text-[12px] text-ink2">as of {shortWhen(b.at)}</span>
                </div>
                <div ref={box}>
                  {chosen.picture === 'map' ? (
                    <BookMap
                      looked={b}
                      before={trial ? before.data : undefined}
                      width={width}
                      height={height}
                    />
                  ) : (
                    <MoveLines
                      looked={b}
                      before={trial ? before.data : undefined}
                      width={width}
                      height={height}
                    />
                  )}
                </div>
              </section>
              <aside aria-label="In figures" className="flex min-w-0 flex-col gap-3">
                <p className="font-serif text-[15px] leading-5" data-testid="book-words">
                  {said(b)}
                </p>
                <Totals b={b} />
                <Scales look={look} />
              </aside>
            </div>
            <div className="pt-1">
              <Choices
                wrap
                label="Beneath"
                value={chosen.section}
                onChange={(section) => {
                  choose({ section });
                }}
                choices={SECTIONS}
              />
            </div>
            {chosen.section === 'moves' && <MoveTable looked={b} look={look} />}
            {chosen.section === 'parts' && <Parts looked={b} />}
            {chosen.section === 'mend' && <Mend look={plain} looked={b} />}
            {chosen.section === 'ahead' && <TailsPart look={look} />}
            {chosen.section === 'days' && <Days />}
          </>
        )}
      </Asked>
    </div>
  );
}
