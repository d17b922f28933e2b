import { useState } from 'react';
import type { Leg, PackageLine, Line } from '../../api/client';
import { ROW } from '../../chart/axis';
import { useDraftOf } from '../../drafts/answer';
import { parts } from '../../drafts/contract';
import { takeUp, useDrafts } from '../../drafts/store';
import { percent } from '../../format';
import { money } from '../../money';
import { Notice } from '../../ui/controls';

const pad = 'px-[clamp(2px,0.47vw,6px)]';
const num = `num ${pad}`;

/** Heads of the columns, in the order of the cells below. */
const PACKAGE_HEADS: [string, string][] = [
  ['strike', 'w-[58px] !text-center'],
  ['package', 'w-[22%] !text-left'],
  ['rest', ''],
  ['middle', ''],
  ['cross', ''],
  ['', 'w-[46px] !text-left'],
  ['max profit', ''],
  ['max loss', ''],
  ['break-even', 'w-[15%]'],
  ['chance %', ''],
  ['return %', ''],
];

const NONE: Leg[] = [];
const same = (a: Leg[], b: Leg[]) => JSON.stringify(a) === JSON.stringify(b);
/** What is bought and what is sold of a package: "+170 P −175 P". */
const signed = (legs: Leg[]) =>
  legs
    .map(({ contract, quantity }) => {
      const { strike, kind } = parts(contract);
      const size = Math.abs(quantity);
      return `${quantity > 0 ? '+' : '−'}${size > 1 ? `${size} × ` : ''}${strike} ${kind}`;
    })
    .join(' ');

/** One package a row, on the rows of the strikes; a click on it makes it the draft. One that was built otherwise is left alone: the package begins a new one. */
export function PackageTable({
  rows,
  lines,
  symbol,
  width,
}: {
  rows: Line[];
  lines: PackageLine[];
  symbol: string;
  width: number;
}) {
  const legs = useDraftOf(symbol)?.legs ?? NONE;
  const [full, setFull] = useState(false);
  const by = new Map(lines.map((l) => [l.strike, l]));
  const take = (chosen: Leg[]) => {
    const taken = takeUp(symbol, chosen, (now) => lines.some((l) => same(l.legs, now)));
    setFull(!taken);
  };
  const filled = useDrafts((s) => Object.keys(s.drafts).length);
  return (
    <div style={{ width }}>
      {full && filled > 0 && (
        <Notice>All four places of the tray are taken; throw one away to take a package.</Notice>
      )}
      <table className="w-full table-fixed border-collapse text-[12.5px]">
        <caption className="sr-only">Packages</caption>
        <thead>
          <tr>
            {PACKAGE_HEADS.map(([name, how]) => (
              <th
                key={name}
                className={`sticky top-0 z-20 h-6 bg-ground px-[clamp(2px,0.47vw,6px)] text-right text-[12px] leading-[14px] font-normal whitespace-nowrap text-ink2 shadow-[inset_0_-1px_0_var(--strong)] ${how}`}
              >
                {name || <span className="sr-only">debit or credit</span>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => {
            const l = by.get(row.strike);
            const on = l && same(l.legs, legs);
            return (
              <tr
                key={row.strike}
                className={`border-b border-hair ${on ? 'bg-brass-soft' : ''}`}
                style={{ height: ROW }}
              >
                <th scope="row" className="border-x border-hair bg-warm text-center font-bold">
                  {row.strike}
                </th>
                <td className="p-0">
                  {l && (
                    <button
                      type="button"
                      data-package={l.strike}
                      aria-pressed={on}
                      onClick={() => {
                        take(l.legs);
                      }}
                      aria-label={`${signed(l.legs)}, middle ${l.middle} ${l.side}: make it the draft`}
                      className={`${pad} h-[19px] w-full truncate text-left font-semibold hover:bg-brass-soft focus-visible:bg-brass-soft`}
                    >
                      {signed(l.legs)}
                    </button>
                  )}
                </td>
                <td className={`${num} text-ink2`}>{l?.rest}</td>
                <td className={`${num} font-semibold`}>{l?.middle}</td>
                <td className={`${num} text-ink2`}>{l?.cross}</td>
                <td className={`${pad} text-ink2`}>{l?.side === 'even' ? '' : l?.side}</td>
                <td className={`${num} text-gain`}>
                  {l && (l.most ? money(l.most, true) : l.chance != null ? 'no limit' : '')}
                </td>
                <td className={`${num} text-loss`}>
                  {l && (l.least ? money(l.least) : l.chance != null ? 'no limit' : '')}
                </td>
                <td className={`${num} truncate text-ink2`}>{l?.evens.join(', ')}</td>
                <td className={num}>{percent(l?.chance, 0)}</td>
                <td className={num}>{percent(l?.part, 0)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
