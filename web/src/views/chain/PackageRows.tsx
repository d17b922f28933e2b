import type { Leg, PackageLine, Row } from '../../api/client';
import { money, percent } from '../../format';
import { ROW } from '../../chart/axis';

const pad = 'px-[clamp(2px,0.47vw,6px)]';
const num = `num ${pad}`;

/** Heads of the columns, in the order of the cells below. */
export const PACKAGE_HEADS: [string, string][] = [
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

/** One package a row, on the rows of the strikes; a click on it makes it the draft. */
export function PackageRows({
  rows,
  lines,
  legs,
  onTake,
}: {
  rows: Row[];
  lines: PackageLine[];
  legs: Leg[];
  onTake: (legs: Leg[]) => void;
}) {
  const by = new Map(lines.map((l) => [l.strike, l]));
  const draft = JSON.stringify(legs);
  return rows.map((row) => {
    const l = by.get(row.strike);
    const on = l && JSON.stringify(l.legs) === draft;
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
                onTake(l.legs);
              }}
              aria-label={`make ${l.strikes} the draft, middle ${l.middle} ${l.side}`}
              className={`${pad} h-[19px] w-full truncate text-left font-semibold hover:bg-brass-soft focus-visible:bg-brass-soft`}
            >
              {l.strikes}
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
  });
}
