import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api, must, type Expectation } from '../../api/client';
import { Button, Notice } from '../../ui/controls';
import { look } from '../bench/scene';
import { MOST, draftOf, toTray, turn, useShortlist } from './shortlist';

/** The shortlist: to the tray, side by side on the bench, or kept with the expectation. */
export function ShortlistBar({
  symbol,
  expectation,
}: {
  symbol: string;
  expectation: Expectation;
}) {
  const { rows, problem } = useShortlist();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [note, setNote] = useState('');
  const own = rows.filter((r) => r.symbol === symbol);
  const keep = useMutation({
    mutationFn: async () => {
      must(
        await api.PUT('/api/scout/expectations/{id}', {
          params: { path: { id: crypto.randomUUID() } },
          body: {
            symbol,
            expectation,
            note: note.trim(),
            shortlist: own.map((r) => ({ legs: r.legs, chosen: false })),
          },
        }),
      );
    },
    onSuccess: async () => {
      setNote('');
      await client.invalidateQueries({ queryKey: ['scout', 'expectations'] });
    },
  });
  const drafts = () => rows.map((r) => draftOf(r, false));
  return (
    <div
      role="group"
      aria-label="Shortlist"
      className="flex flex-wrap items-center gap-1.5 border-t border-hair py-1.5"
    >
      <span className="text-ink2">
        shortlist {rows.length} of {MOST}
      </span>
      {rows.map((r) => (
        <Button
          key={r.legs.map((l) => l.contract + String(l.quantity)).join()}
          title="Off the shortlist"
          onClick={() => {
            turn(r);
          }}
        >
          {r.symbol === symbol ? '' : `${r.symbol} `}
          {r.name} {r.strikes} ×
        </Button>
      ))}
      {rows.length > 0 && (
        <>
          <Button
            onClick={() => {
              toTray(drafts());
            }}
          >
            to the tray
          </Button>
          <Button
            onClick={() => {
              if (!toTray(drafts())) return;
              look({ tab: 'compare' });
              void navigate('/bench');
            }}
          >
            compare on the bench
          </Button>
        </>
      )}
      <form
        className="ml-auto flex items-center gap-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <input
          aria-label="A sentence about it"
          placeholder="why, in a sentence"
          maxLength={300}
          value={note}
          onChange={(e) => {
            setNote(e.target.value);
          }}
          className="h-6 w-52 rounded border border-strong bg-raised px-2"
        />
        <Button type="submit" disabled={keep.isPending}>
          keep this expectation{own.length > 0 ? ` with ${own.length}` : ''}
        </Button>
        {keep.isSuccess && (
          <span role="status" className="text-ink2">
            kept
          </span>
        )}
      </form>
      {problem && <Notice>{problem}</Notice>}
      {keep.error && <Notice>{keep.error.message}</Notice>}
    </div>
  );
}
