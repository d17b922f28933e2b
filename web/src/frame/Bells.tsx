import { useMutation, useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Bell } from '../api/client';
import { useLive } from '../api/live';
import { bellsQuery } from '../api/queries';
import { dayMonth, later, shortWhen } from '../format';
import { Button, Notice } from '../ui/controls';
import { Heard } from './heard';

const NewBell = lazy(async () => ({ default: (await import('./NewBell')).NewBell }));

/** "again after 2.00 back, until 18 Apr": what else was said of a bell. */
function beside(b: Bell): string {
  const again = b.again == null ? '' : `again once it is ${b.again} back`;
  const until = b.until == null ? '' : `until ${dayMonth(b.until)}`;
  const silent = b.snoozed == null ? '' : `silent until ${shortWhen(b.snoozed)}`;
  return [again, until, silent, b.note].filter(Boolean).join(', ');
}

function Line({ b, act, name, busy }: { b: Bell; act: () => void; name: string; busy: boolean }) {
  const said = b.rings || b.snoozed != null ? (b.says ?? b.listens) : b.listens;
  return (
    <li className="flex items-start gap-2 border-b border-hair py-1">
      <div className="min-w-0 grow">
        {b.campaign == null ? (
          <span className={b.rings ? 'font-semibold' : ''}>{said}</span>
        ) : (
          <Link
            to={`/campaign/${b.campaign}`}
            className={`underline-offset-2 hover:underline ${b.rings ? 'font-semibold' : ''}`}
          >
            {said}
          </Link>
        )}
        <div className="text-[12px] text-ink2">
          {[b.rung ? `rang ${shortWhen(b.rung)}` : `set ${shortWhen(b.set)}`, beside(b)]
            .filter(Boolean)
            .join(', ')}
        </div>
      </div>
      <Button disabled={busy} onClick={act} aria-label={`${name}: ${b.says ?? b.listens}`}>
        {name}
      </Button>
    </li>
  );
}

/** What rings, what is set, and a new one. */
export function Bells() {
  const asked = useQuery(bellsQuery);
  const bells = asked.data ?? [];
  const [open, setOpen] = useState(false);
  const ringing = bells.filter((b) => b.rings);
  const silent = bells.filter((b) => b.snoozed != null);
  const set = bells.filter((b) => b.isSet && !b.rings && b.snoozed == null);
  const now = useLive((s) => s.clock?.now);
  const snooze = useMutation({
    mutationFn: async (minutes: number) => {
      if (now) must(await api.POST('/api/bells/snooze', { body: { until: later(now, minutes) } }));
    },
  });
  const answer = useMutation({
    mutationFn: async (id: number) => {
      must(await api.POST('/api/bells/{id}/answer', { params: { path: { id } } }));
    },
  });
  const answerAll = useMutation({
    mutationFn: async () => {
      must(await api.POST('/api/bells/answer'));
    },
  });
  const remove = useMutation({
    mutationFn: async (id: number) => {
      must(await api.DELETE('/api/bells/{id}', { params: { path: { id } } }));
    },
  });
  const trouble = answer.error ?? answerAll.error ?? remove.error ?? snooze.error ?? asked.error;
  // What is read aloud begins with what is seen on the button.
  const spoken =
    ringing.length > 0
      ? `bells ${ringing.length} ringing, ${set.length} set`
      : set.length > 0
        ? `bells ${set.length} set`
        : 'bells, none set';
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button
          aria-label={spoken}
          data-testid="bells"
          className={ringing.length > 0 ? '!border-brass text-brass' : ''}
        >
          bells{' '}
          {ringing.length > 0 ? (
            <b className="rounded bg-brass px-1 text-on-brass tabular-nums">{ringing.length}</b>
          ) : set.length > 0 ? (
            <span className="text-ink2 tabular-nums">{set.length}</span>
          ) : null}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          collisionPadding={8}
          data-modal
          aria-label="Bells"
          className="z-40 flex max-h-[80vh] w-[400px] flex-col gap-2 overflow-y-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          <div className="flex items-center justify-between">
            <span className="font-serif text-[17px]">Bells</span>
            {ringing.length > 0 && (
              <Button
                disabled={snooze.isPending}
                className="ml-auto mr-2"
                onClick={() => {
                  snooze.mutate(60);
                }}
              >
                silent for an hour
              </Button>
            )}
            {ringing.length > 1 && (
              <Button
                disabled={answerAll.isPending}
                onClick={() => {
                  answerAll.mutate();
                }}
              >
                Answer all {ringing.length}
              </Button>
            )}
          </div>
          {trouble && <Notice>{trouble.message}</Notice>}
          {ringing.length === 0 && set.length === 0 && (
            <p className="text-ink2">
              Nothing rings. Fills, refusals, ends of orders and a deficit ring by themselves; your
              rules ring where you set them, prices and figures where you set a bell.
            </p>
          )}
          {ringing.length > 0 && (
            <ul aria-label="Ringing">
              {ringing.slice(0, 30).map((b) => (
                <Line
                  key={b.id}
                  b={b}
                  name="answer"
                  busy={answer.isPending}
                  act={() => {
                    answer.mutate(b.id);
                  }}
                />
              ))}
            </ul>
          )}
          {silent.length > 0 && (
            <ul aria-label="Silent for a time">
              {silent.map((b) => (
                <Line
                  key={b.id}
                  b={b}
                  name="answer"
                  busy={answer.isPending}
                  act={() => {
                    answer.mutate(b.id);
                  }}
                />
              ))}
            </ul>
          )}
          {set.length > 0 && (
            <>
              <div className="text-[12px] text-ink2">set</div>
              <ul aria-label="Set">
                {set.map((b) => (
                  <Line
                    key={b.id}
                    b={b}
                    name="take away"
                    busy={remove.isPending}
                    act={() => {
                      remove.mutate(b.id);
                    }}
                  />
                ))}
              </ul>
            </>
          )}
          <Suspense>
            <NewBell />
          </Suspense>
          <Heard />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
