import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Lessons, Road } from '../../api/client';
import { rulesQuery } from '../../api/queries';
import { count, fixed, longDate } from '../../format';
import { money, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { NumberField, readNumber, SelectField } from '../../ui/fields';
import { Scroll } from '../../ui/Page';
import { roadsQuery, type AskedRule } from './queries';

/** Asks about a rule that is none of mine. */
function AskRule({ onAsk }: { onAsk: (asked: AskedRule | null) => void }) {
  const rules = useQuery(rulesQuery);
  const measures = (rules.data?.measures ?? []).filter((m) => m.subject === 'campaign');
  const [word, setWord] = useState('profit_of_max');
  const [limit, setLimit] = useState('50');
  const measure = measures.find((m) => m.measure === word);
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        const side = measure?.sides[0];
        if (side && readNumber(limit) != null) onAsk({ measure: word, side, limit: limit.trim() });
      }}
    >
      and if I had left at
      <SelectField
        label="measure"
        value={word}
        choices={measures.map((m) => ({ value: m.measure, name: m.noun }))}
        onChange={setWord}
      />
      <NumberField label="limit" value={limit} onChange={setLimit} unit={measure?.unit} />
      <Button type="submit">ask</Button>
    </form>
  );
}

/** What each of my rules would have made of the closed campaigns, from the same openings. */
export function Roads({ campaigns }: { campaigns: Lessons['campaigns'] }) {
  const [asked, setAsked] = useState<AskedRule | null>(null);
  const [shown, setShown] = useState(0);
  const roads = useQuery(roadsQuery(asked));
  const columns: Column<Road & { place: number }>[] = [
    {
      key: 'name',
      head: 'from each opening',
      left: true,
      cell: (r) => (
        <button
          type="button"
          aria-pressed={r.place === shown}
          className="text-left text-brass underline aria-pressed:font-semibold"
          onClick={() => {
            setShown(r.place);
          }}
        >
          {r.name}
          {r.rule != null && ' (my rule)'}
        </button>
      ),
    },
    { key: 'count', head: 'campaigns', cell: (r) => count(r.count) },
    {
      key: 'made',
      head: 'by hand',
      cell: (r) => <span className={tone(r.made)}>{r.count > 0 && money(r.made, true)}</span>,
    },
    {
      key: 'would',
      head: 'would have made',
      cell: (r) => <span className={tone(r.would)}>{r.count > 0 && money(r.would, true)}</span>,
    },
    {
      key: 'better',
      head: 'better by hand',
      cell: (r) => (r.count > 0 ? `${count(r.better)} of ${count(r.count)}` : 'applies to none'),
    },
    {
      key: 'mean',
      head: 'by hand above it, mean',
      by: (r) => r.mean,
      cell: (r) => fixed(r.mean, 2, true),
    },
    {
      key: 'interval',
      head: '95 %',
      cell: (r) =>
        r.meanLow == null ? '' : `${fixed(r.meanLow, 0, true)} to ${fixed(r.meanHigh, 0, true)}`,
    },
  ];
  return (
    <section aria-label="The road not taken" className="flex flex-col gap-2 pt-4">
      <h2 className="font-serif text-[18px]">The road not taken</h2>
      <p className="max-w-[80ch] text-ink2">
        Each campaign held as it was opened and left at the first close at which the rule rings, at
        the far side of every leg and with fees; one that never rings holds to the end.
      </p>
      <AskRule onAsk={setAsked} />
      <Asked query={roads} what="roads">
        {(data) => {
          const rows = data.roads.map((r, place) => ({ ...r, place }));
          const titles = new Map(campaigns.map((c) => [c.campaign, c]));
          const of = data.campaigns.filter((c) => c.roads[shown] != null);
          return (
            <>
              {campaigns.length < 12 && (
                <p className="text-ink2">
                  {count(campaigns.length)} trades are few: this says little yet.
                </p>
              )}
              <DataTable
                label="Roads not taken"
                rows={rows}
                columns={columns}
                id={(r) => r.place}
              />
              <Scroll label="Campaign by campaign" className="max-h-72">
                <DataTable
                  label="Campaign by campaign"
                  rows={of}
                  id={(c) => c.campaign}
                  columns={[
                    {
                      key: 'campaign',
                      head: 'campaign',
                      left: true,
                      cell: (c) => (
                        <Link to={`/campaign/${c.campaign}`} className="text-brass underline">
                          {titles.get(c.campaign)?.symbol} {titles.get(c.campaign)?.title}
                        </Link>
                      ),
                    },
                    {
                      key: 'made',
                      head: 'by hand',
                      by: (c) => Number(c.made),
                      cell: (c) => money(c.made, true),
                    },
                    {
                      key: 'would',
                      head: 'would have made',
                      by: (c) => Number(c.roads[shown]?.profit),
                      cell: (c) => money(c.roads[shown]?.profit, true),
                    },
                    {
                      key: 'left',
                      head: 'left',
                      by: (c) => c.roads[shown]?.left,
                      cell: (c) => {
                        const road = c.roads[shown];
                        return (
                          road &&
                          `${longDate(road.left.slice(0, 10))}${road.soFar ? ', open still' : ''}`
                        );
                      },
                    },
                    {
                      key: 'apart',
                      head: 'by hand above it',
                      by: (c) => Number(c.made) - Number(c.roads[shown]?.profit),
                      cell: (c) => fixed(Number(c.made) - Number(c.roads[shown]?.profit), 2, true),
                    },
                  ]}
                />
              </Scroll>
            </>
          );
        }}
      </Asked>
    </section>
  );
}
