import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type CampaignPage } from '../../api/client';
import { Button, Notice } from '../../ui/controls';

type Chapter = CampaignPage['campaign']['chapters'][number];

/** Why a chapter was done, in the trader's own words; lots that moved are moved back. */
export function Why({ chapter: x, campaign }: { chapter: Chapter; campaign: number }) {
  const client = useQueryClient();
  const [text, setText] = useState<string>();
  const again = () => client.invalidateQueries({ queryKey: ['campaign'] });
  const keep = useMutation({
    mutationFn: async () => {
      if (text !== undefined && text !== x.note)
        must(
          await api.PUT('/api/ledger/{entry}/note', {
            params: { path: { entry: x.entry } },
            body: { note: text },
          }),
        );
    },
    onSuccess: async () => {
      await again();
      setText(undefined);
    },
  });
  const back = useMutation({
    mutationFn: async () => {
      const [from, to] =
        x.kind === 'moved in' ? [campaign, x.other ?? 0] : [x.other ?? 0, campaign];
      // What came in goes out; what went out comes back, signed as it is held there.
      const legs = x.legs.map((l) => ({
        ...l,
        quantity: x.kind === 'moved in' ? l.quantity : -l.quantity,
      }));
      must(
        await api.POST('/api/campaigns/{id}/move', {
          params: { path: { id: from } },
          body: { to, legs },
        }),
      );
    },
    onSuccess: again,
  });
  const trouble = keep.error ?? back.error;
  return (
    <span className="block">
      {text === undefined ? (
        <>
          {x.note !== '' && <span className="font-serif italic">{x.note} </span>}
          <button
            type="button"
            aria-label={`why: ${x.words}`}
            className="rounded px-1 text-[12px] text-brass underline-offset-2 hover:underline"
            onClick={() => {
              setText(x.note);
            }}
          >
            {x.note === '' ? 'why?' : 'change'}
          </button>
          {x.other != null && (
            <Button
              weight="quiet"
              disabled={back.isPending}
              title="moves the lots back at cost"
              onClick={() => {
                back.mutate();
              }}
            >
              take back
            </Button>
          )}
        </>
      ) : (
        <span className="flex items-center gap-1">
          <input
            aria-label={`Why: ${x.words}`}
            autoFocus
            maxLength={1000}
            value={text}
            onChange={(e) => {
              setText(e.target.value);
            }}
            onKeyDown={(e) => {
              if (e.key === 'Enter') keep.mutate();
              if (e.key === 'Escape') setText(undefined);
            }}
            className="h-6 min-w-0 flex-1 rounded border border-strong bg-raised px-2"
          />
          <Button
            disabled={keep.isPending}
            onClick={() => {
              keep.mutate();
            }}
          >
            keep
          </Button>
        </span>
      )}
      {trouble && <Notice>{trouble.message}</Notice>}
    </span>
  );
}
