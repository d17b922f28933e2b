import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must } from '../api/client';
import { useLive } from '../api/live';
import { when } from '../format';
import { Button, Notice } from '../ui/controls';

/** The one field by which time moves: a moment, a distance, the next date that matters, the next ring. */
export default function GoTo({ onDone, autoFocus }: { onDone?: () => void; autoFocus?: boolean }) {
  const [text, setText] = useState('');
  const now = useLive((s) => s.clock?.now);
  const heading = useLive((s) => s.clock?.heading);
  const go = useMutation({
    mutationFn: async (body: { goTo?: string; next?: 'date' | 'ring' }) =>
      must(await api.POST('/api/clock', { body })),
    onSuccess: () => {
      setText('');
      onDone?.();
    },
  });
  const stop = useMutation({
    mutationFn: async () => must(await api.POST('/api/clock', { body: { stop: true } })),
  });
  const busy = go.isPending || heading != null;
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim() !== '') go.mutate({ goTo: text });
      }}
    >
      <label className="flex items-center gap-1 whitespace-nowrap">
        go to
        <input
          aria-label="go to"
          autoFocus={autoFocus}
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
          placeholder="3 sessions"
          title="a date (2030-04-18), a time (10:30), both, or a distance: 3 sessions, 2 weeks, 45 minutes"
          className="h-6 w-40 rounded border border-strong bg-raised px-2 font-semibold text-ink placeholder:font-normal placeholder:text-ink2"
        />
      </label>
      <Button type="submit" disabled={busy || text.trim() === ''}>
        go
      </Button>
      <Button
        disabled={busy}
        title="the opening of the next date on which something held ends, is announced, pays or is due"
        onClick={() => {
          go.mutate({ next: 'date' });
        }}
      >
        next date
      </Button>
      <Button
        disabled={busy}
        title="as far as the next bell or rule that rings"
        onClick={() => {
          go.mutate({ next: 'ring' });
        }}
      >
        next ring
      </Button>
      {busy && (
        <>
          <span className="tabular-nums">
            at {when(now ?? '')}
            {heading != null && `, on the way to ${when(heading)}`}
          </span>
          <Button
            disabled={stop.isPending}
            onClick={() => {
              stop.mutate();
            }}
          >
            stop here
          </Button>
        </>
      )}
      {go.error && <Notice>{go.error.message}</Notice>}
    </form>
  );
}
