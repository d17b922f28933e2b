import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo } from 'react';
import { Link } from 'react-router';
import { api, must, type Rounds } from '../../api/client';
import { roundsQuery } from '../../api/queries';
import { shortWhen } from '../../format';
import { Asked } from '../../ui/Asked';
import { Button, CommandButton, Notice } from '../../ui/controls';
import { useCommands, type Acts } from '../../ui/commands';
import { Page } from '../../ui/Page';
import { Afterword } from './Afterword';
import { actOnCard, AskCard, moveOnCards } from './AskCard';
import { Bands } from './Bands';
import { Dates } from './Dates';
import { QuietList } from './QuietList';
import { Record } from './Record';

function Told({ rounds: r }: { rounds: Rounds }) {
  const client = useQueryClient();
  const done = useMutation({
    mutationFn: async () => {
      must(await api.POST('/api/rounds/done'));
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['rounds'] }),
  });
  const happened = r.asks.some((a) => a.reasons.some((x) => x.key.startsWith('happened:')));
  return (
    <>
      <p
        role="status"
        data-testid="headline"
        className="max-w-[80ch] font-serif text-[19px] leading-7"
      >
        {r.headline}
      </p>
      <div className="grid grid-cols-[minmax(0,1fr)_320px] gap-8 pt-2 max-[1180px]:grid-cols-[minmax(0,1fr)_280px] max-[1180px]:gap-5 max-md:grid-cols-[minmax(0,1fr)]">
        <div>
          {r.asks.length === 0 && r.quiet.length > 0 && (
            <p className="text-ink2">
              Nothing asks for a decision. Facts ask by themselves;{' '}
              <Link to="/rules" className="text-brass underline">
                your rules
              </Link>{' '}
              ask where you set them.
            </p>
          )}
          {r.quiet.length === 0 && r.asks.length === 0 && (
            <p className="max-w-[70ch] text-ink2">
              What asks for a decision will stand here each morning, with its reason: an end near
              the money, an assignment before a dividend, earnings inside a sold option, and
              whatever{' '}
              <Link to="/rules" className="text-brass underline">
                your rules
              </Link>{' '}
              say. Begin in the{' '}
              <Link to="/chain" className="text-brass underline">
                chain
              </Link>
              : click a price, open the ticket, place it.
            </p>
          )}
          <ol aria-label="What asks for a decision" className="flex flex-col gap-3">
            {r.asks.map((a, at) => (
              <AskCard key={a.campaign ?? 'account'} ask={a} at={at} />
            ))}
          </ol>
          {happened && (
            <div className="flex items-center gap-2 pt-3">
              <Button
                disabled={done.isPending}
                onClick={() => {
                  done.mutate();
                }}
              >
                All that happened is read
              </Button>
              <span className="text-ink2">since {shortWhen(r.looked)}</span>
            </div>
          )}
          {done.error && <Notice>{done.error.message}</Notice>}
          {r.lesson != null && (
            <p className="max-w-[80ch] pt-3 font-serif text-[15px]">
              {r.lesson}{' '}
              <Link to="/lessons" className="text-brass underline">
                lessons
              </Link>
            </p>
          )}
          {r.over.map((o) => (
            <Afterword key={o.campaign} over={o} />
          ))}
          {r.quiet.length > 0 && <QuietList quiet={r.quiet} />}
        </div>
        <aside aria-label="Beside" className="flex flex-col gap-5">
          <Dates dates={r.dates} />
          <Bands bands={r.bands} />
          <Record rounds={r} />
        </aside>
      </div>
    </>
  );
}

/** The daily review: what asks for a decision, before any table. */
export function RoundsView() {
  const rounds = useQuery(roundsQuery);
  const acts = useMemo(
    (): Acts => ({
      askBefore: () => moveOnCards(-1),
      askNext: () => moveOnCards(1),
      askClose: () => actOnCard('close'),
      askRework: () => actOnCard('rework'),
      askLetBe: () => actOnCard('let be'),
      askNoted: () => actOnCard('noted'),
    }),
    [],
  );
  useCommands(acts);
  return (
    <Page
      title="Rounds"
      beside={
        <>
          <CommandButton of="toRules" />
          <CommandButton of="toDays" />
        </>
      }
    >
      <Asked query={rounds} what="rounds">
        {(r) => <Told rounds={r} />}
      </Asked>
    </Page>
  );
}
