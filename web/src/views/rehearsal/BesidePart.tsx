import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { api, must, type Beside } from '../../api/client';
import { put } from '../../drafts/store';
import { longWhen } from '../../format';
import { money, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { besideQuery, drillsQuery } from './queries';

type Would = Beside['would'][number];
type Mine = Beside['mine'][number];

/** A drill beside the account: what it would have done, and what was done by hand. */
function One({ drill, onAway }: { drill: Beside; onAway: () => void }) {
  const navigate = useNavigate();
  const would: Column<Would>[] = [
    { key: 'cycle', head: 'cycle', cell: (w) => w.cycle },
    { key: 'entered', head: 'entered', cell: (w) => longWhen(w.entered) },
    { key: 'left', head: 'left', cell: (w) => (w.left == null ? 'open' : longWhen(w.left)) },
    { key: 'why', head: 'why', left: true, cell: (w) => w.why ?? '' },
    { key: 'strikes', head: 'strikes', left: true, cell: (w) => w.strikes },
    {
      key: 'profit',
      head: 'profit',
      cell: (w) => <span className={tone(w.profit)}>{money(w.profit, true)}</span>,
    },
  ];
  const mine: Column<Mine>[] = [
    {
      key: 'campaign',
      head: 'campaign',
      left: true,
      cell: (m) => (
        <Link to={`/campaign/${m.campaign}`} className="text-brass underline">
          {m.campaign}
        </Link>
      ),
    },
    { key: 'opened', head: 'opened', cell: (m) => m.opened && longWhen(m.opened) },
    { key: 'open', head: 'state', left: true, cell: (m) => (m.open ? 'open' : 'closed') },
    {
      key: 'booked',
      head: 'booked',
      cell: (m) => <span className={tone(m.booked)}>{money(m.booked, true)}</span>,
    },
  ];
  const last = drill.last;
  return (
    <section aria-label={drill.name} className="border-t border-strong pt-2 pb-4">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="font-serif text-[17px]">{drill.name}</h2>
        <span>{drill.symbol}</span>
        <span className="text-ink2">beside the account since {longWhen(drill.since)}</span>
        <Button weight="quiet" onClick={onAway}>
          take it away
        </Button>
      </div>
      {drill.problem != null && <Notice>{drill.problem}</Notice>}
      {last && (
        <p className="flex flex-wrap items-center gap-2 py-1">
          It did last: <b>{last.action}</b> on {longWhen(last.at)}.
          {last.legs.length > 0 && (
            <Button
              onClick={() => {
                put({ symbol: drill.symbol, legs: last.legs, name: drill.name.slice(0, 60) });
                void navigate('/bench');
              }}
            >
              into the draft
            </Button>
          )}
          <span className="text-ink2">
            Nothing is sent by itself. A trade with the tag “{drill.tag}” counts as yours beside it.
          </span>
        </p>
      )}
      <div className="grid grid-cols-2 gap-6 max-lg:grid-cols-1">
        <div>
          <h3 className="font-semibold">
            It would have made <span className={tone(drill.sum)}>{money(drill.sum, true)}</span>
          </h3>
          {drill.would.length === 0 ? (
            <p className="text-ink2">It has entered nothing yet.</p>
          ) : (
            <DataTable
              label={`What ${drill.name} would have done`}
              rows={drill.would}
              columns={would}
              id={(w) => w.cycle}
            />
          )}
        </div>
        <div>
          <h3 className="font-semibold">
            You booked <span className={tone(drill.mine_sum)}>{money(drill.mine_sum, true)}</span>
          </h3>
          {drill.mine.length === 0 ? (
            <p className="text-ink2">No trade of yours follows it yet.</p>
          ) : (
            <DataTable
              label={`What you did beside ${drill.name}`}
              rows={drill.mine}
              columns={mine}
              id={(m) => m.campaign}
            />
          )}
        </div>
      </div>
    </section>
  );
}

/** Drills that are kept beside the account: a bell rings where they act, and nothing is sent. */
export function BesidePart() {
  const beside = useQuery(besideQuery);
  const drills = useQuery(drillsQuery);
  const client = useQueryClient();
  const set = useMutation({
    mutationFn: async ({ name, on }: { name: string; on: boolean }) => {
      must(
        await api.PUT('/api/drills/{name}/beside', {
          params: { path: { name } },
          body: { on },
        }),
      );
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['drills'] }),
  });
  return (
    <Asked query={beside} what="drills beside the account">
      {(all) => {
        const others = Object.keys(drills.data ?? {}).filter((n) => !all.some((b) => b.name === n));
        return (
          <>
            <p className="max-w-[80ch] py-2 text-ink2">
              A drill beside the account looks at the market of now as it looked at that of the
              past. A bell rings where it would enter, adjust or leave; what you do is yours.
            </p>
            {set.error && <Notice>{set.error.message}</Notice>}
            {all.map((b) => (
              <One
                key={b.name}
                drill={b}
                onAway={() => {
                  set.mutate({ name: b.name, on: false });
                }}
              />
            ))}
            {others.length > 0 && (
              <div className="flex flex-wrap items-center gap-2 border-t border-hair pt-2">
                set beside the account:
                {others.map((name) => (
                  <Button
                    key={name}
                    onClick={() => {
                      set.mutate({ name, on: true });
                    }}
                  >
                    {name}
                  </Button>
                ))}
              </div>
            )}
            {all.length === 0 && others.length === 0 && (
              <p className="py-4 text-ink2">Keep a drill first; then it can stand here.</p>
            )}
          </>
        );
      }}
    </Asked>
  );
}
