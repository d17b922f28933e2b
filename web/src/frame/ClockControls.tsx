import { useMutation } from '@tanstack/react-query';
import { Dialog, DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { api, must } from '../api/client';
import { useLive } from '../api/live';
import { when } from '../format';
import { DateField } from '../ui/DateField';
import { Button, Notice } from '../ui/controls';
import { box, overlay, giveBack } from '../ui/dialog';

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

/** Ends a jump of the clock at its next stop. */
function useStop() {
  return useMutation({
    mutationFn: async () => must(await api.POST('/api/clock', { body: { stop: true } })),
  });
}

/** Steps to 09:30 of a date; everything on the way happens in its order. */
function DateDialog({ today, onClose }: { today: string; onClose: () => void }) {
  const [until, setUntil] = useState(today);
  const step = useMutation({
    mutationFn: async () => must(await api.POST('/api/clock', { body: { until } })),
    onSuccess: onClose,
  });
  const stop = useStop();
  const now = useLive((s) => s.clock?.now);
  const heading = useLive((s) => s.clock?.heading);
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open && !step.isPending) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          className={`${box} w-80`}
        >
          <Dialog.Title className="mb-2 font-serif text-[16px]">Step to a date</Dialog.Title>
          <form
            className="flex flex-col gap-3"
            onSubmit={(e) => {
              e.preventDefault();
              step.mutate();
            }}
          >
            <span className="flex items-center gap-2">
              the opening of
              <DateField label="Day" value={until} onChange={setUntil} autoFocus />
            </span>
            {heading != null && (
              <p className="text-ink2">
                At <b className="tabular-nums">{when(now ?? '')}</b>, on the way to {when(heading)}.
              </p>
            )}
            {step.error && <Notice>{step.error.message}</Notice>}
            <div className="flex gap-2">
              <Button weight="strong" type="submit" disabled={step.isPending || until === ''}>
                {step.isPending ? 'Stepping' : 'Step'}
              </Button>
              {heading == null ? (
                <Button onClick={onClose} disabled={step.isPending}>
                  Back
                </Button>
              ) : (
                <Button
                  disabled={stop.isPending}
                  onClick={() => {
                    stop.mutate();
                  }}
                >
                  Stop here
                </Button>
              )}
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** The exchange's clock: state and time, pause, step, speed. */
export function ClockControls() {
  const clock = useLive((s) => s.clock);
  const set = useMutation({
    mutationFn: async (body: { running?: boolean; speed?: number; step?: Step }) =>
      must(await api.POST('/api/clock', { body })),
  });
  const stop = useStop();
  const [dating, setDating] = useState(false);
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
        {clock.running ? 'pause' : 'run'}
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
                setDating(true);
              }}
            >
              to a date
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {dating && (
        <DateDialog
          today={clock.now.slice(0, 10)}
          onClose={() => {
            setDating(false);
          }}
        />
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
    </div>
  );
}
