import { useQuery, useQueryClient, useMutation } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, must, type BookLooked } from '../../api/client';
import { openOrder } from '../../ticket/open';
import { Button, Notice } from '../../ui/controls';
import { KeptNames } from '../../ui/KeptNames';
import { Term } from '../../ui/terms';
import { choose, opened, paperOf, switched, tryOut, useChosen, useTrial, type Extra } from './look';
import { papersQuery } from './queries';

/** One thing that can be switched in or out. */
function Chip({
  on,
  what,
  title,
  onPress,
}: {
  on: boolean;
  what: React.ReactNode;
  title: string;
  onPress: () => void;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      title={title}
      onClick={onPress}
      className={`inline-flex h-6 max-w-[230px] items-center gap-1 rounded-full border px-2 whitespace-nowrap ${on ? 'border-brass bg-brass-soft' : 'border-dashed border-strong text-ink2'}`}
    >
      <svg aria-hidden width={8} height={8} className="shrink-0">
        <circle
          cx={4}
          cy={4}
          r={3}
          fill={on ? 'var(--brass-fill)' : 'none'}
          stroke={on ? 'var(--brass)' : 'var(--ink2)'}
        />
      </svg>
      <span className="truncate">{what}</span>
    </button>
  );
}

/** Paper portfolios: what is considered, kept together under a name and opened again. */
function Papers({ all }: { all: Extra[] }) {
  const chosen = useChosen();
  const client = useQueryClient();
  const papers = useQuery(papersQuery);
  const again = () => client.invalidateQueries({ queryKey: ['papers'] });
  const paper = paperOf(chosen, all);
  const keep = useMutation({
    mutationFn: async (name: string) => {
      must(await api.PUT('/api/papers/{name}', { params: { path: { name } }, body: paper }));
      choose({ paper: name });
    },
    onSuccess: again,
  });
  const drop = useMutation({
    mutationFn: async (gone: string) => {
      must(await api.DELETE('/api/papers/{name}', { params: { path: { name: gone } } }));
    },
    onSuccess: again,
  });
  const kept = Object.entries(papers.data ?? {});
  const trouble = keep.error ?? drop.error;
  return (
    <KeptNames
      trigger={`paper portfolios${chosen.paper === '' ? '' : `: ${chosen.paper}`}`}
      label="Paper portfolios"
      kept={kept.map(([name, p]) => ({
        name,
        words: `open ${name}`,
        beside: <span className="text-ink2">{p.drafts.length} drafts</span>,
      }))}
      onOpen={(name) => {
        const p = papers.data?.[name];
        if (p) choose(opened(chosen, name, p));
      }}
      onThrow={(name) => {
        drop.mutate(name);
      }}
      name="Name of the portfolio"
      most={60}
      keep={`keep ${paper.drafts.length}`}
      keepable={paper.drafts.length > 0 && !keep.isPending}
      onKeep={(name) => keep.mutateAsync(name)}
    >
      <p className="text-ink2">
        The drafts that are switched in, kept together under a name. They hold no money and send
        nothing.
      </p>
      {chosen.extra.length > 0 && (
        <Button
          onClick={() => {
            choose({
              extra: [],
              paper: '',
              on: chosen.on.filter((k) => !k.startsWith('x')),
            });
          }}
        >
          close {chosen.paper === '' ? 'it' : chosen.paper}
        </Button>
      )}
      {trouble && <Notice>{trouble.message}</Notice>}
    </KeptNames>
  );
}

/** Everything that can be looked at: what is held, what works, what is considered; each switched in and out by its chip. */
export function Chips({ looked, all }: { looked: BookLooked | undefined; all: Extra[] }) {
  const chosen = useChosen();
  const trial = useTrial((s) => s.trial);
  const press = (key: string, campaign: boolean) => () => {
    choose(switched(chosen, key, campaign));
  };
  const campaigns = looked?.items.filter((i) => i.source === 'campaign') ?? [];
  const orders = looked?.items.filter((i) => i.source === 'order') ?? [];
  const inAll = campaigns.filter((i) => !chosen.off.includes(i.key)).length;
  return (
    <section
      aria-label="What is looked at"
      className="flex flex-wrap items-center gap-x-1.5 gap-y-1 border-y border-hair py-1.5"
    >
      <Chip
        on={chosen.held}
        what={
          <>
            <b>held</b> {chosen.held ? `${inAll} of ${campaigns.length}` : 'left out'}
          </>
        }
        title="What is really held, in or out as a whole"
        onPress={() => {
          choose({ held: !chosen.held });
        }}
      />
      {chosen.held &&
        campaigns.map((i) => (
          <Chip
            key={i.key}
            on={!chosen.off.includes(i.key)}
            what={
              <>
                <b>{i.symbol}</b> {i.name}
              </>
            }
            title={`${i.symbol} ${i.name}: campaign ${i.number ?? ''}`}
            onPress={press(i.key, true)}
          />
        ))}
      {orders.length > 0 && <span className="pl-2 text-ink2">working</span>}
      {orders.map((i) => (
        <span key={i.key} className="inline-flex items-center">
          <Chip
            on={chosen.on.includes(i.key)}
            what={
              <>
                <b>{i.symbol}</b> {i.name}
              </>
            }
            title={`${i.symbol} ${i.name}: as if order ${i.number ?? ''} had filled`}
            onPress={press(i.key, false)}
          />
          <button
            type="button"
            aria-label={`order ${i.number ?? ''}`}
            className="px-1 text-ink2 hover:text-brass"
            onClick={() => {
              if (i.number != null) openOrder(i.number);
            }}
          >
            ›
          </button>
        </span>
      ))}
      <span className="pl-2 text-ink2">
        <Term of="considered" />
      </span>
      {all.length === 0 && (
        <span className="text-ink2">
          nothing: drafts of the tray and the shelf stand here. Build one in the{' '}
          <Link to="/chain" className="text-brass underline">
            chain
          </Link>
          .
        </span>
      )}
      {all.map((d) => (
        <Chip
          key={d.key}
          on={chosen.on.includes(d.key)}
          what={
            <>
              <b>{d.symbol}</b> {d.name}
            </>
          }
          title={`${d.symbol} ${d.name ?? ''}`}
          onPress={press(d.key, false)}
        />
      ))}
      {trial && (
        <button
          type="button"
          data-testid="trial"
          className="inline-flex h-6 items-center gap-1 rounded-full border-2 border-brass bg-raised px-2 font-semibold text-brass"
          onClick={() => {
            tryOut(undefined);
          }}
        >
          tried: {trial.symbol} {trial.words}
          {trial.packages > 1 ? ` × ${trial.packages}` : ''} ×
        </button>
      )}
      <span className="ml-auto">
        <Papers all={all} />
      </span>
    </section>
  );
}
