import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useId, useState } from 'react';
import type { Look, Tails } from '../../api/client';
import { count, fixed, shortWhen } from '../../format';
import { Asked } from '../../ui/Asked';
import { Hatch } from '../../chart/glyph';
import { DataTable, type Column } from '../../ui/DataTable';
import { useMeasured } from '../../ui/measured';
import { tailsQuery } from './queries';

type Drawn = NonNullable<Tails['past']>;
const HEIGHT = 150;

/** How often the book ends where: bars, losses hatched by their side of nothing, the worst twentieth marked. */
function Bars({ d, name, width }: { d: Drawn; name: string; width: number }) {
  const hatch = useId();
  const [low, high] = [d.edges[0] ?? 0, d.edges.at(-1) ?? 1];
  const x = scaleLinear([low, high], [4, width - 4]);
  const most = Math.max(...d.bars, 1);
  const y = scaleLinear([0, most], [HEIGHT - 18, 6]);
  const edge = d.worst[0]?.edge ?? 0;
  return (
    <svg
      role="img"
      width={width}
      height={HEIGHT}
      aria-label={`${name}: profit from ${fixed(low, 0, true)} to ${fixed(high, 0, true)}, mean ${fixed(d.mean, 0, true)}`}
    >
      <defs>
        <Hatch id={hatch} />
      </defs>
      {d.bars.map((n, i) => {
        const [a, b] = [d.edges[i] ?? 0, d.edges[i + 1] ?? 0];
        return (
          <rect
            key={a}
            x={x(a)}
            width={Math.max(1, x(b) - x(a) - 1)}
            y={y(n)}
            height={y(0) - y(n)}
            fill={
              (a + b) / 2 >= 0
                ? 'var(--gain-soft)'
                : (a + b) / 2 < edge
                  ? 'var(--loss)'
                  : `url(#${hatch})`
            }
            stroke={(a + b) / 2 < 0 ? 'var(--loss)' : 'var(--gain)'}
            strokeWidth={0.5}
          />
        );
      })}
      {low < 0 && high > 0 && (
        <line x1={x(0)} x2={x(0)} y1={2} y2={HEIGHT - 16} stroke="var(--ink)" />
      )}
      {x
        .ticks(5)
        .filter((t) => x(t) > 24 && x(t) < width - 24)
        .map((t) => (
          <text
            key={t}
            x={x(t)}
            y={HEIGHT - 4}
            fontSize={11}
            textAnchor="middle"
            fill="var(--ink2)"
          >
            {fixed(t, 0, true)}
          </text>
        ))}
    </svg>
  );
}

function Figures({ d, name }: { d: Drawn; name: string }) {
  const [box, width] = useMeasured(360);
  return (
    <section aria-label={name} className="min-w-0">
      <h3 className="font-semibold">{name}</h3>
      <div ref={box}>
        <Bars d={d} name={name} width={width} />
      </div>
      <table className="w-full">
        <tbody>
          {d.worst.map((w) => (
            <tr key={w.percent} className="border-b border-hair">
              <th scope="row" className="text-left font-normal text-ink2">
                the worst {fixed(w.percent, 0)} % make on average
              </th>
              <td className="num font-semibold text-loss">{fixed(w.mean, 0, true)}</td>
              <td className="num text-ink2">± {fixed(w.error, 0)}</td>
              <td className="num text-ink2">less than {fixed(w.edge, 0, true)}</td>
            </tr>
          ))}
          <tr className="border-b border-hair">
            <th scope="row" className="text-left font-normal text-ink2">
              mean of all
            </th>
            <td className="num font-semibold">{fixed(d.mean, 0, true)}</td>
            <td className="num text-ink2">± {fixed(d.error, 0)}</td>
            <td className="num text-ink2">{fixed(100 * d.losing, 0)} % lose</td>
          </tr>
        </tbody>
      </table>
    </section>
  );
}

/** What one index cannot show: each name alone by its own two deviations, and the book drawn from the past year. */
export function TailsPart({ look }: { look: Look }) {
  const [sessions, setSessions] = useState(5);
  const [paths, setPaths] = useState(5_000);
  const tails = useQuery(tailsQuery(look, sessions, paths));
  type Alone = Tails['alone'][number];
  const columns: Column<Alone>[] = [
    { key: 's', head: 'alone', left: true, by: (a) => a.symbol, cell: (a) => <b>{a.symbol}</b> },
    { key: 'm', head: 'two σ, %', by: (a) => a.twoSigma, cell: (a) => fixed(a.twoSigma, 1) },
    {
      key: 'f',
      head: 'it falls',
      by: (a) => a.fallen,
      cell: (a) => (
        <span className={a.fallen < 0 ? 'text-loss' : ''}>{fixed(a.fallen, 0, true)}</span>
      ),
    },
    {
      key: 'r',
      head: 'it rises',
      by: (a) => a.risen,
      cell: (a) => (
        <span className={a.risen < 0 ? 'text-loss' : ''}>{fixed(a.risen, 0, true)}</span>
      ),
    },
  ];
  const select = 'h-6 rounded border border-strong bg-raised px-1 text-ink';
  return (
    <section aria-label="Alone and together" className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-3 text-ink2">
        <label>
          closes ahead{' '}
          <select
            value={sessions}
            onChange={(e) => {
              setSessions(Number(e.target.value));
            }}
            className={select}
          >
            {[1, 2, 5, 10, 21, 42].map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
        </label>
        <label>
          paths{' '}
          <select
            value={paths}
            onChange={(e) => {
              setPaths(Number(e.target.value));
            }}
            className={select}
          >
            {[2_000, 5_000, 20_000, 50_000].map((n) => (
              <option key={n} value={n}>
                {count(n)}
              </option>
            ))}
          </select>
        </label>
      </div>
      <Asked query={tails} what="paths">
        {(t) => (
          <>
            <div className="grid grid-cols-[300px_minmax(0,1fr)_minmax(0,1fr)] gap-6 max-[1180px]:grid-cols-[minmax(0,1fr)_minmax(0,1fr)] max-md:grid-cols-[minmax(0,1fr)]">
              <DataTable
                label="Names alone"
                rows={t.alone}
                columns={columns}
                id={(a) => a.symbol}
              />
              {t.past && <Figures d={t.past} name="Correlations as in the past year" />}
              {t.asOne && <Figures d={t.asOne} name="Everything moves as one" />}
            </div>
            {t.alone.length === 0 && <p className="text-ink2">Nothing is switched in.</p>}
            <p className="max-w-[110ch] text-[12px] text-ink2">
              Estimates, to the close of {shortWhen(t.until)}: {count(paths)} paths strung together
              from {t.sessions} sessions of the past, independent of each other; what those did not
              hold cannot be drawn. Volatility as set above, each name by its own move.
              {t.byBeta.length > 0 && ` By their beta: ${t.byBeta.join(', ')}.`}
              {t.missing.length > 0 && ` Left out: ${t.missing.join('; ')}.`}
            </p>
          </>
        )}
      </Asked>
    </section>
  );
}
