import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Ask, Reason } from '../../api/client';
import { RangeStrip } from '../../chart/glyph';
import { shortWhen } from '../../format';
import { cents, tone } from '../../money';
import { Button, Notice } from '../../ui/controls';
import { keysOf } from '../../ui/commands';
import { useAnswer, type Until } from './answers';
import { LetBe } from './LetBe';

/** What is pressed by a key on the card that has the focus. */
export type CardAct = 'close' | 'rework' | 'let be' | 'noted';

/** One reason, with what happens if nothing is done, and what answers it alone. */
function ReasonLine({
  ask,
  reason: r,
  letting,
  setLetting,
  answer,
}: {
  ask: Ask;
  reason: Reason;
  letting: boolean;
  setLetting: (open: boolean) => void;
  answer: ReturnType<typeof useAnswer>;
}) {
  const navigate = useNavigate();
  const has = (what: Reason['fits'][number]) => r.fits.includes(what);
  const say = (as: 'exercise' | 'doNotExercise' | 'noted') => () => {
    answer.mutate({ campaign: ask.campaign, reason: r.key, answer: { as } });
  };
  const busy = answer.isPending;
  return (
    <li className="flex flex-wrap items-start gap-x-3 gap-y-1 border-t border-hair py-1.5">
      <div className="min-w-[min(100%,320px)] flex-1">
        <span>{r.says}</span>{' '}
        <span className="text-[12px] whitespace-nowrap text-ink2">since {shortWhen(r.since)}</span>
        {r.ifNothing !== '' && (
          <div className="text-ink2">
            If nothing is done: <span className="text-ink">{r.ifNothing}.</span>
          </div>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-2">
        {has('exercise') && (
          <Button disabled={busy} onClick={say('exercise')}>
            exercise it
          </Button>
        )}
        {has('do not exercise') && (
          <Button disabled={busy} onClick={say('doNotExercise')}>
            do not exercise it
          </Button>
        )}
        {has('noted') && (
          <Button disabled={busy} title={`read (${keysOf('askNoted')})`} onClick={say('noted')}>
            read
          </Button>
        )}
        {has('to order') && r.order != null && (
          <Button onClick={() => void navigate('/orders')}>to the order</Button>
        )}
        {has('to balance') && (
          <Button onClick={() => void navigate('/balance')}>to the balance</Button>
        )}
        {has('let be') && (
          <LetBe
            open={letting}
            onOpenChange={setLetting}
            about={r.says}
            priced={ask.campaign != null}
            busy={busy}
            onAnswer={(until: Until, note) => {
              answer.mutate(
                {
                  campaign: ask.campaign,
                  reason: r.key,
                  answer: { as: 'letBe', until },
                  note,
                },
                {
                  onSuccess: () => {
                    setLetting(false);
                  },
                },
              );
            }}
          />
        )}
      </div>
    </li>
  );
}

/** A campaign, or the account, that asks: what it is, why, and the answers. */
export function AskCard({ ask, at }: { ask: Ask; at: number }) {
  const navigate = useNavigate();
  const answer = useAnswer();
  const [letting, setLetting] = useState<string>();
  const [ticket] = useState(() => crypto.randomUUID());
  const p = ask.position;
  const closes = ask.reasons.find((r) => r.fits.includes('close'));
  const reworks = ask.campaign != null && p != null;
  const acts: Record<CardAct, () => void> = {
    close: () => {
      if (closes && p && ask.campaign != null && !answer.isPending)
        answer.mutate({
          campaign: ask.campaign,
          reason: closes.key,
          answer: { as: 'close', clientId: ticket, at: 'middle' },
        });
    },
    rework: () => {
      if (reworks) void navigate(`/rework/${ask.campaign}`);
    },
    'let be': () => {
      setLetting(ask.reasons.find((r) => r.fits.includes('let be'))?.key);
    },
    noted: () => {
      const read = ask.reasons.find((r) => r.fits.includes('noted'));
      if (read)
        answer.mutate({ campaign: ask.campaign, reason: read.key, answer: { as: 'noted' } });
    },
  };
  return (
    <li
      data-ask={ask.campaign ?? 'account'}
      aria-label={ask.title}
      // The keys of rounds act on the card that has the focus.
      tabIndex={at === 0 ? 0 : -1}
      ref={(el) => {
        if (el) cards.set(el, acts);
      }}
      className="rounded border border-strong bg-raised px-3 pt-2"
    >
      <div className="flex items-center gap-x-4 gap-y-1 pb-1.5 max-md:flex-wrap">
        <h2 className="min-w-0 font-serif text-[17px] leading-6">
          {ask.campaign == null ? (
            <span className="first-letter:uppercase">{ask.title}</span>
          ) : (
            <Link to={`/campaign/${ask.campaign}`} className="underline-offset-2 hover:underline">
              {ask.title}
            </Link>
          )}
        </h2>
        {p?.scaled && <RangeStrip strip={p.scaled} id={`ask-${p.campaign}`} width={120} bare />}
        {p && (
          <span className="whitespace-nowrap">
            <b className={tone(p.total)}>{cents(p.total, true)}</b>{' '}
            <span className="text-ink2">in all</span>
          </span>
        )}
        {p?.expiry && (
          <span className="whitespace-nowrap text-ink2">
            {p.expiry}, {p.days} d
          </span>
        )}
        <span className="ml-auto flex shrink-0 gap-2">
          {closes && p && (
            <Button
              disabled={answer.isPending}
              title={`an order for all of it at the middle (${keysOf('askClose')})`}
              onClick={acts.close}
            >
              Close at the middle
            </Button>
          )}
          {reworks && (
            <Button title={`change it as a draft (${keysOf('askRework')})`} onClick={acts.rework}>
              rework
            </Button>
          )}
        </span>
      </div>
      {answer.error && <Notice>{answer.error.message}</Notice>}
      <ul aria-label="Why">
        {ask.reasons.map((r) => (
          <ReasonLine
            key={r.key}
            ask={ask}
            reason={r}
            answer={answer}
            letting={letting === r.key}
            setLetting={(open) => {
              setLetting(open ? r.key : undefined);
            }}
          />
        ))}
      </ul>
    </li>
  );
}

/** What the keys do on each card that is drawn. */
const cards = new WeakMap<Element, Record<CardAct, () => void>>();
const list = () => [...document.querySelectorAll<HTMLElement>('[data-ask]')];
const current = () => {
  const at = document.activeElement?.closest('[data-ask]');
  return at instanceof HTMLElement ? at : list()[0];
};

/** What is sent or answered at once is never done by a key on a card that was not chosen. */
const AT_ONCE: readonly CardAct[] = ['close', 'noted'];

/**
 * Does what a key says on the card that has the focus, or on the first one where nothing is sent by
 * it: else the first press only chooses the card. False where there is none.
 */
export function actOnCard(act: CardAct): boolean {
  const card = current();
  if (!card) return false;
  const chosen = card.contains(document.activeElement);
  card.focus();
  if (chosen || !AT_ONCE.includes(act)) cards.get(card)?.[act]();
  return true;
}

/** Moves the focus by so many cards; false where there are none. */
export function moveOnCards(by: number): boolean {
  const all = list();
  const focused = document.activeElement?.closest('[data-ask]');
  const at = all.findIndex((c) => c === focused);
  const next = all[at < 0 ? 0 : Math.max(0, Math.min(all.length - 1, at + by))];
  next?.focus();
  next?.scrollIntoView({ block: 'nearest' });
  return next !== undefined;
}
