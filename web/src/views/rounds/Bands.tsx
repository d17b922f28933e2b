import { Link } from 'react-router';
import type { Band } from '../../api/client';
import { money } from '../../money';

/** "25.0 %" with its real minus sign and grouping. */
const shown = (text: string) => {
  const [number = '', ...unit] = text.split(' ');
  return [money(number), ...unit].join(' ');
};

/** The account's figures against the trader's own limits. */
export function Bands({ bands }: { bands: Band[] }) {
  const limited = bands.some((b) => b.above != null || b.below != null);
  return (
    <section aria-label="The book against my limits">
      <h2 className="font-semibold">The book against my limits</h2>
      <table className="w-full">
        <tbody>
          {bands.map((b) => (
            <tr key={b.measure} className="border-b border-hair align-baseline">
              <th scope="row" className="py-0.5 text-left font-normal">
                {b.noun}
                {b.which && <span className="block text-[12px] text-ink2">{b.which}</span>}
              </th>
              <td className={`num font-semibold ${b.rings ? 'text-loss' : ''}`}>
                {b.rings && <span className="sr-only">beyond its limit: </span>}
                {shown(b.seen)}
              </td>
              <td className="num pl-3 text-[12px] text-ink2">
                {[
                  b.below == null ? '' : `above ${shown(b.below)}`,
                  b.above == null ? '' : `up to ${shown(b.above)}`,
                ]
                  .filter(Boolean)
                  .join(', ')}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!limited && (
        <p className="pt-1 text-[12px] text-ink2">
          No limit is set.{' '}
          <Link to="/rules" className="text-brass underline">
            My rules
          </Link>{' '}
          set them.
        </p>
      )}
    </section>
  );
}
