import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { api, must, type CampaignPage, type Life as Lived } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { money, tone } from '../../money';
import { Notice } from '../../ui/controls';
import { Term } from '../../ui/terms';

/** Size of the line. */
const [WIDTH, HEIGHT, FOOT, LEFT] = [560, 150, 18, 56];

/** What the campaign stood at each evening of its life, its chapters marked. */
function Line({ lived, page: p }: { lived: Lived; page: CampaignPage }) {
  const ends = lived.days.map((d) => Number(d.running));
  const x = scaleLinear([0, Math.max(1, ends.length - 1)], [LEFT + 6, WIDTH - 8]);
  const y = scaleLinear([Math.min(0, ...ends), Math.max(0, ...ends)], [HEIGHT - FOOT, 10]).nice(3);
  const place = new Map(lived.days.map((d, i) => [d.date, i]));
  const marks = p.campaign.chapters
    .map((c) => ({ at: place.get(c.at.slice(0, 10)), words: `${c.kind}: ${c.words}`, of: c.entry }))
    .filter((m): m is typeof m & { at: number } => m.at !== undefined);
  const named = [
    ['best', lived.best],
    ['worst', lived.worst],
  ] as const;
  const first = lived.days[0]?.date;
  const last = lived.days.at(-1)?.date;
  return (
    <svg
      role="img"
      aria-label="Profit of the whole campaign at each close of its life"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width={WIDTH}
      height={HEIGHT}
      className="max-w-full"
    >
      {y.ticks(3).map((t) => (
        <g key={t}>
          <line
            x1={LEFT}
            x2={WIDTH}
            y1={y(t)}
            y2={y(t)}
            stroke={t === 0 ? 'var(--ink2)' : 'var(--hair)'}
          />
          <text x={LEFT - 6} y={y(t) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {fixed(t, 0, true)}
          </text>
        </g>
      ))}
      <path
        data-testid="life-line"
        d={
          line<number>()
            .digits(1)
            .x((_, i) => x(i))
            .y((v) => y(v))(ends) ?? ''
        }
        fill="none"
        stroke="var(--ink)"
        strokeWidth={2}
      />
      {marks.map((m) => (
        <circle
          key={m.of}
          cx={x(m.at)}
          cy={y(ends[m.at] ?? 0)}
          r={4}
          fill="var(--brass)"
          stroke="var(--ground)"
        >
          <title>{m.words}</title>
        </circle>
      ))}
      {ends.length > 2 &&
        named.map(([name, at]) =>
          at == null ? null : (
            <text
              key={name}
              x={Math.min(WIDTH - 80, Math.max(LEFT + 40, x(at)))}
              y={Math.min(
                HEIGHT - FOOT - 3,
                Math.max(11, y(ends[at] ?? 0) + (name === 'best' ? -6 : 14)),
              )}
              textAnchor="middle"
              fontSize={12}
              fill="var(--ink2)"
              stroke="var(--ground)"
              strokeWidth={4}
              paintOrder="stroke"
            >
              {name} {money(lived.days[at]?.running ?? '0', true)}
            </text>
          ),
        )}
      <text x={LEFT + 6} y={HEIGHT - 3} fontSize={12} fill="var(--ink2)">
        {first && dayMonth(first)}
      </text>
      <text x={WIDTH - 8} y={HEIGHT - 3} textAnchor="end" fontSize={12} fill="var(--ink2)">
        {last && dayMonth(last)}
      </text>
    </svg>
  );
}

const PARTS = ['delta', 'gamma', 'theta', 'vega', 'rate', 'dividends', 'trades', 'other'] as const;
const TERMS_OF = {
  delta: 'madeByDelta',
  gamma: 'madeByGamma',
  theta: 'madeByTheta',
  vega: 'madeByVega',
  rate: 'madeByRate',
  dividends: 'madeByDividends',
  trades: 'madeByTrades',
  other: 'madeByOther',
} as const;

/** Profit over the days of its life and what made it, in all and by chapter. */
export function Life({ page: p }: { page: CampaignPage }) {
  const id = p.campaign.campaign;
  const asked = useQuery({
    queryKey: ['campaign', 'life', id],
    refetchInterval: 2_000,
    retry: false,
    queryFn: async () =>
      must(await api.GET('/api/campaigns/{campaign}/life', { params: { path: { campaign: id } } })),
  });
  const lived = asked.data;
  if (!lived)
    return asked.error ? (
      <Notice>{`What made its profit is not told: ${asked.error.message}.`}</Notice>
    ) : (
      <p className="text-ink2">Reading the days of its life</p>
    );
  const rows: [string, string, Lived['all']][] = [
    ['all', 'in all', lived.all],
    ...lived.chapters.map((c): [string, string, Lived['all']] => {
      const chapter = p.campaign.chapters[c.chapter];
      const from = chapter ? `from ${dayMonth(chapter.at.slice(0, 10))}, ${chapter.kind}` : '';
      return [String(c.chapter), from, c.parts];
    }),
  ];
  return (
    <section
      aria-label="What made its profit"
      className="flex flex-wrap items-start gap-x-6 gap-y-2"
    >
      <Line lived={lived} page={p} />
      <table className="tabular-nums">
        <caption className="pb-1 text-left font-semibold">
          <Term of="madeBy">What made it</Term>
          {p.position && (
            <span className="font-normal text-ink2">, as of {lived.at.slice(11, 19)}</span>
          )}
        </caption>
        <thead>
          <tr className="text-[12px] text-ink2">
            <th className="text-left font-normal">
              <span className="sr-only">of</span>
            </th>
            {PARTS.map((part) => (
              <th key={part} className="num pl-4 font-normal">
                <Term of={TERMS_OF[part]} />
              </th>
            ))}
            <th className="num pl-4 font-normal">fees</th>
            <th className="num pl-4 font-normal">total</th>
          </tr>
        </thead>
        <tbody>
          {(rows.length > 2 ? rows : rows.slice(0, 1)).map(([key, name, parts]) => (
            <tr
              key={key}
              className={`border-t border-hair ${key === 'all' ? 'font-semibold' : ''}`}
            >
              <th scope="row" className="text-left font-normal whitespace-nowrap">
                {name}
              </th>
              {PARTS.map((part) => (
                <td key={part} className="num pl-4">
                  {fixed(parts[part], 0, true)}
                </td>
              ))}
              <td className="num pl-4">{money(parts.fees)}</td>
              <td className={`num pl-4 ${tone(parts.total)}`}>{money(parts.total, true)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
