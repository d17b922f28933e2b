import { useMutation, type UseMutationResult } from '@tanstack/react-query';
import { DropdownMenu } from 'radix-ui';
import { lazy, Suspense, useState } from 'react';
import { api, must, type Clock } from '../api/client';
import { useLive } from '../api/live';
import { when } from '../format';
import { Button } from '../ui/controls';

type Change = { running?: boolean; speed?: number; step?: Step };
type Step = 'minute' | 'hour' | 'open' | 'close' | 'expiration';
const STEPS: [Step, string][] = [
  ['minute', 'one minute'],
  ['hour', 'one hour'],
  ['open', 'to the next opening'],
  ['close', 'to the next close'],
  ['expiration', 'to the next expiration'],
];
const item =
  'cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-brass-soft data-[highlighted]:text-brass';
const panel = 'z-50 rounded border border-strong bg-raised p-1 shadow-[var(--shadow)]';

const GoToDialog = lazy(() => import('./GoToDialog'));
const FeedStatus = lazy(() => import('./Feed'));

/** The exchange's clock: state and time, pause, step, speed. */
export function ClockControls() {
  const clock = useLive((s) => s.clock);
  const set = useMutation({
    mutationFn: async (body: Change) => must(await api.POST('/api/clock', { body })),
  });
  const stop = useMutation({
    mutationFn: async () => must(await api.POST('/api/clock', { body: { stop: true } })),
  });
  if (!clock) return null;
  return (
    <div
      className="flex items-center gap-2 max-md:gap-1"
      role="group"
      aria-label="Market clock"
      data-walk="clock"
    >
      <span className={`font-semibold ${clock.open ? 'text-gain' : 'text-loss'}`}>
        {clock.open ? 'open' : 'closed'}
      </span>
      <time
        data-testid="clock"
        dateTime={clock.now}
        className="tabular-nums whitespace-nowrap text-ink2"
      >
        {when(clock.now, true)}
      </time>
      <Button
        onClick={() => {
          set.mutate({ running: !clock.running });
        }}
        aria-pressed={!clock.running}
      >
        {clock.running ? 'pause' : clock.follows ? 'follow' : 'run'}
      </Button>
      {clock.heading != null && (
        <Button
          weight="strong"
          disabled={stop.isPending}
          aria-label={`on the way to ${when(clock.heading)}: stop here`}
          onClick={() => {
            stop.mutate();
          }}
        >
          stop
        </Button>
      )}
      {clock.follows ? (
        <Suspense>
          <FeedStatus />
        </Suspense>
      ) : (
        <Leads clock={clock} set={set} />
      )}
    </div>
  );
}

/** Leads the clock: steps, a moment to go to, and its speed. */
function Leads({ clock, set }: { clock: Clock; set: UseMutationResult<Clock, Error, Change> }) {
  const [going, setGoing] = useState(false);
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button disabled={set.isPending || clock.heading != null}>
            {set.isPending || clock.heading != null ? 'stepping' : 'step'}
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className={panel}>
            {STEPS.map(([step, name]) => (
              <DropdownMenu.Item
                key={step}
                className={item}
                onSelect={() => {
                  set.mutate({ step });
                }}
              >
                {name}
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item
              className={item}
              onSelect={() => {
                setGoing(true);
              }}
            >
              go to …
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {going && (
        <Suspense>
          <GoToDialog
            onClose={() => {
              setGoing(false);
            }}
          />
        </Suspense>
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button aria-label={`speed ${clock.speed}×`}>{clock.speed}×</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className={panel}>
            {clock.speeds.map((speed) => (
              <DropdownMenu.Item
                key={speed}
                className={`${item} num`}
                onSelect={() => {
                  set.mutate({ speed });
                }}
              >
                {speed}×
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  );
}
