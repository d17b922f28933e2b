import { useLive } from '../../api/live';
import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Look, Scale } from '../../api/client';
import { fixed } from '../../format';
import { Asked } from '../../ui/Asked';
import { cents } from '../../money';
import { scalesQuery } from './queries';

const WIDTH = 150;
const HEIGHT = 20;
const UNITS: Partial<Record<Scale['unit'], string>> = { percent: ' %' };

/** One band as a scale: what is allowed plain, beyond hatched by its ends; the past weeks as faint ticks, now a dot, as looked at a brass dot. */
function Drawn({ s }: { s: Scale }) {
  const all = [s.now, s.then, s.from, s.to, 0, ...s.past.map((p) => p.value)].filter(
    (v): v is number => v != null,
  );
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const room = (high - low || 1) * 0.08;
  const x = scaleLinear([low - room, high + room], [0, WIDTH]);
  const [from, to] = [s.from ?? low - room, s.to ?? high + room];
  return (
    <svg aria-hidden width={WIDTH} height={HEIGHT} className="block">
      <line x1={0} x2={WIDTH} y1={13} y2={13} stroke="var(--hair)" strokeWidth={2} />
      {(s.from != null || s.to != null) && (
        <rect
          x={x(from)}
          width={Math.max(0, x(to) - x(from))}
          y={10}
          height={6}
          fill="var(--gain-soft)"
          stroke="var(--gain)"
          strokeWidth={0.5}
        />
      )}
      {s.past.map((p) => (
        <line
          key={p.date}
          x1={x(p.value)}
          x2={x(p.value)}
          y1={2}
          y2={7}
          stroke="var(--slate)"
          strokeOpacity={0.35}
        />
      ))}
      {[s.from, s.to].map(
        (end, i) =>
          end != null && (
            <line
              key={i === 0 ? 'from' : 'to'}
              x1={x(end)}
              x2={x(end)}
              y1={7}
              y2={19}
              stroke="var(--ink)"
            />
          ),
      )}
      {s.now != null && (
        <circle
          cx={x(s.now)}
          cy={13}
          r={3.5}
          fill="var(--ground)"
          stroke="var(--ink)"
          strokeWidth={1.5}
        />
      )}
      {s.then != null && (
        <circle cx={x(s.then)} cy={13} r={3.5} fill="var(--brass-fill)" stroke="var(--ink)" />
      )}
    </svg>
  );
}

const outside = (s: Scale, v: number | null | undefined) =>
  v != null && ((s.from != null && v < s.from) || (s.to != null && v > s.to));

function Accepted({
  set,
}: {
  set: (accepted: { loss: number; fall: number } | undefined) => void;
}) {
  const [loss, setLoss] = useState('');
  const [fall, setFall] = useState('');
  const tell = (l: string, f: string) => {
    const [a, b] = [Number(l), Number(f)];
    set(a > 0 && a <= 100 && b > 0 && b <= 90 ? { loss: a, fall: b } : undefined);
  };
  const field = 'num h-5 w-12 rounded border border-strong bg-raised px-1';
  return (
    <p className="text-[12px] text-ink2">
      I accept losing{' '}
      <input
        aria-label="Accepted loss, percent of the account"
        inputMode="decimal"
        value={loss}
        className={field}
        onChange={(e) => {
          setLoss(e.target.value);
          tell(e.target.value, fall);
        }}
      />{' '}
      % in a fall of{' '}
      <input
        aria-label="Fall of the index, percent"
        inputMode="decimal"
        value={fall}
        className={field}
        onChange={(e) => {
          setFall(e.target.value);
          tell(loss, e.target.value);
        }}
      />{' '}
      %
    </p>
  );
}

/** Bands of my rules as scales, with where the book stands: as the account is, as it is looked at, and over the past weeks. */
export function Scales({ look }: { look: Look }) {
  const broad = useLive((s) => s.clock?.index) ?? 'the index';
  const [accepted, setAccepted] = useState<{ loss: number; fall: number }>();
  const [more, setMore] = useState(false);
  const scales = useQuery(scalesQuery(look, accepted));
  return (
    <section aria-label="Bands of my rules" className="flex flex-col gap-1">
      <h2 className="font-semibold">
        Bands of{' '}
        <Link to="/rules" className="text-brass underline">
          my rules
        </Link>
      </h2>
      <Asked query={scales} what="bands">
        {(found) => {
          const ruled = found.bands.filter((s) => s.from != null || s.to != null);
          const shown = more ? found.bands : ruled;
          const different = found.bands.some(
            (s) => s.now != null && s.then != null && Math.abs(s.now - s.then) > 1e-6,
          );
          return (
            <>
              {ruled.length === 0 && !more && (
                <p className="text-ink2">
                  No rule of yours is about the account yet, so there is no band. Rules on lean,
                  theta, vega, buying power, stress loss or concentration are drawn here.
                </p>
              )}
              <table className="w-full">
                <tbody>
                  {shown.map((s) => (
                    <tr key={s.measure} className="border-b border-hair align-middle">
                      <th scope="row" className="py-0.5 pr-2 text-left leading-4 font-normal">
                        {s.noun}
                        {s.which != null && (
                          <span className="block max-w-36 truncate text-[12px] text-ink2">
                            {s.which}
                          </span>
                        )}
                      </th>
                      <td>
                        <Drawn s={s} />
                      </td>
                      <td className="num pl-2 leading-4 whitespace-nowrap">
                        <b className={outside(s, s.then) ? 'text-loss' : ''}>
                          {fixed(s.then, s.decimals)}
                          {UNITS[s.unit] ?? ''}
                        </b>
                        <span className="block text-[12px] text-ink2">
                          {[
                            s.from == null ? '' : `from ${fixed(s.from, s.decimals)}`,
                            s.to == null ? '' : `to ${fixed(s.to, s.decimals)}`,
                          ]
                            .filter(Boolean)
                            .join(' ')}
                          {outside(s, s.then) ? ' · outside' : ''}
                        </span>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <p className="text-[12px] text-ink2">
                {different ? 'Brass: as it is looked at; ring: as the account is. ' : 'Dot: now. '}
                Ticks above: closes of the past weeks. Rules look through {broad} and the market’s
                betas.{' '}
                <button
                  type="button"
                  className="text-brass underline"
                  onClick={() => {
                    setMore(!more);
                  }}
                >
                  {more ? 'only those with a rule' : 'all figures'}
                </button>
              </p>
              <Accepted set={setAccepted} />
              {found.suggested && (
                <p className="text-[12px]" data-testid="suggested">
                  {found.suggested.words}. A stress loss of {cents(found.suggested.loss)} is the
                  same limit with the curve taken in. Arithmetic of what you state, no advice.
                </p>
              )}
            </>
          );
        }}
      </Asked>
    </section>
  );
}
