import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Draft, Evaluation } from '../api/client';
import { answerTo, useLive } from '../api/live';
import { evaluationQuery } from '../api/queries';
import { OutlineGlyph } from '../chart/glyph';
import { begin, choose, discard, SLOTS, useDrafts, type Slot } from '../drafts/store';
import { Button } from '../ui/controls';

function TrayDraft({ slot, draft, active }: { slot: Slot; draft: Draft; active: boolean }) {
  const navigate = useNavigate();
  // The chain already asks for the active draft; only the others are asked for here.
  const live = useLive((s) => (active ? s.answer : undefined));
  const following = useLive((s) => active && s.following);
  const answer = useQuery(
    evaluationQuery(
      following ? null : { symbol: draft.symbol, legs: draft.legs, entry: draft.entry ?? 'middle' },
      5_000,
    ),
  );
  const shown = answerTo(live, slot, draft);
  const current = following ? shown.evaluation : answer.data;
  // While another view begins to ask, what was shown stays, marked as old.
  const [kept, keep] = useState<{ symbol: string; evaluation: Evaluation }>();
  if (current && kept?.evaluation !== current) keep({ symbol: draft.symbol, evaluation: current });
  const e = current ?? (kept?.symbol === draft.symbol ? kept.evaluation : undefined);
  const old = !current || (following ? shown.old : answer.isPlaceholderData);
  const refused = following ? shown.refusal : answer.error?.message;
  const short = { debit: 'db', credit: 'cr', even: '' };
  return (
    <div
      className={`flex min-w-0 items-center rounded border bg-raised ${active ? 'border-brass border-b-2' : 'border-hair'}`}
    >
      <button
        type="button"
        aria-pressed={active}
        data-testid={`tray-${slot}`}
        className="flex h-8 min-w-0 items-center gap-2 px-2"
        onClick={() => {
          choose(slot);
          void navigate(`/chain/${draft.symbol}`);
        }}
      >
        <b>{slot}</b>
        {draft.legs.length === 0 && <span className="text-ink2">empty draft</span>}
        {e && draft.legs.length > 0 && !refused && (
          <span aria-busy={old} className={`flex min-w-0 items-center gap-2 ${old ? 'old' : ''}`}>
            <OutlineGlyph evaluation={e} />
            <span className="truncate" title={draft.note ?? undefined}>
              {draft.name ? `${draft.name} · ` : ''}
              {draft.symbol} {e.name} {e.strikes}
            </span>
            <span className="whitespace-nowrap">
              {e.legs.some((l) => l.expiry) && `${e.days} d `}
              <b>
                {e.price.amount} {short[e.price.side]}
              </b>
            </span>
          </span>
        )}
        {refused && (
          <span className="max-w-96 truncate text-loss" title={refused}>
            {refused}
          </span>
        )}
      </button>
      <button
        type="button"
        aria-label={`throw away draft ${slot}`}
        className="h-8 border-l border-hair px-2 text-ink2 hover:text-loss"
        onClick={() => {
          discard(slot);
        }}
      >
        ×
      </button>
    </div>
  );
}

/** The strip at the foot of every view: up to four drafts. */
export function Tray() {
  const drafts = useDrafts((s) => s.drafts);
  const active = useDrafts((s) => s.active);
  const loaded = useDrafts((s) => s.loaded);
  const unread = useDrafts((s) => s.unread !== undefined);
  const navigate = useNavigate();
  const shown = SLOTS.filter((s) => drafts[s]);
  const full = SLOTS.every((s) => (drafts[s]?.legs.length ?? 0) > 0);
  return (
    <footer
      data-walk="tray"
      aria-label="Drafts"
      className="flex items-center gap-2 overflow-x-auto border-t border-hair bg-warm px-3"
    >
      {loaded &&
        shown.map((s) => {
          const d = drafts[s];
          return d && <TrayDraft key={s} slot={s} draft={d} active={s === active} />;
        })}
      {unread && <span className="text-loss">The drafts cannot be read yet.</span>}
      {loaded && !unread && shown.length === 0 && (
        <span className="text-ink2">
          No drafts yet: in the chain, click an ask to buy or a bid to sell.
        </span>
      )}
      <Button
        weight="quiet"
        disabled={full || unread}
        title={full ? 'All four places are taken; throw one away first' : undefined}
        onClick={() => {
          if (begin()) void navigate('/chain');
        }}
      >
        + draft
      </Button>
    </footer>
  );
}
