import { useMutation, useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import {
  api,
  must,
  type Draft,
  type Evaluation,
  type Intention,
  type Mark,
  type PickQuery,
} from '../../api/client';
import { ideasQuery } from '../../api/queries';
import { OutlineGlyph } from '../../chart/glyph';
import { add } from '../../drafts/moves';
import { change, takeUp } from '../../drafts/store';
import { percent } from '../../format';
import { money } from '../../money';
import { Button, Choices, Notice } from '../../ui/controls';

const panel =
  'z-40 max-h-[var(--radix-popover-content-available-height)] w-[560px] overflow-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]';
const INTENTIONS: { value: Intention; label: string }[] = [
  { value: 'rises', label: 'it rises' },
  { value: 'falls', label: 'falls' },
  { value: 'stays', label: 'stays' },
  { value: 'moves', label: 'moves' },
  { value: 'income', label: 'income' },
  { value: 'protection', label: 'protection' },
  { value: 'replaceStock', label: 'replace stock' },
];

const sameLegs = (e: Evaluation, legs: Draft['legs']) =>
  JSON.stringify(e.unit.map((l) => [l.contract, l.quantity * e.packages])) ===
  JSON.stringify(legs.map((l) => [l.contract, l.quantity]));

/** Structures for an intention, each with its shape; one click makes it the draft. */
function Ideas({
  symbol,
  expiration,
  onTaken,
}: {
  symbol: string;
  expiration: string;
  onTaken: () => void;
}) {
  const [intention, setIntention] = useState<Intention>('rises');
  const ideas = useQuery(ideasQuery(symbol, expiration, intention));
  const [full, setFull] = useState(false);
  return (
    <>
      <Choices label="Intention" value={intention} onChange={setIntention} choices={INTENTIONS} />
      {ideas.error && <Notice>{ideas.error.message}</Notice>}
      {full && <Notice>All four places of the tray are taken; throw one away first.</Notice>}
      <ul className="mt-2 min-h-[220px]">
        {(ideas.data ?? []).map(({ why, evaluation: e, held }) => {
          // What stands on shares that are held is drawn and judged with them.
          const whole = held?.evaluation ?? e;
          return (
            <li key={`${e.name} ${e.strikes} ${why}`} className="border-t border-hair">
              <button
                type="button"
                data-idea={e.name}
                className="grid w-full grid-cols-[84px_1fr_auto] items-center gap-2 rounded px-1 py-1 text-left hover:bg-brass-soft"
                onClick={() => {
                  const legs = e.unit.map((l) => ({ ...l, quantity: l.quantity * e.packages }));
                  const ofAnIdea = (now: Draft['legs']) =>
                    (ideas.data ?? []).some((i) => sameLegs(i.evaluation, now));
                  if (!takeUp(symbol, legs, ofAnIdea)) {
                    setFull(true);
                    return;
                  }
                  onTaken();
                }}
              >
                <OutlineGlyph evaluation={whole} width={80} height={34} />
                <span>
                  <b>
                    {e.name} {e.strikes}
                  </b>
                  <br />
                  <span className="text-ink2">
                    {why}
                    {held && `; judged with ${held.units} of them`}
                  </span>
                </span>
                <span className="text-right tabular-nums">
                  <b>
                    {e.middle.amount} {e.middle.side}
                  </b>
                  <br />
                  <span className="text-[12px] text-ink2">
                    max profit{' '}
                    <span className="text-gain">
                      {whole.most.unlimited ? 'no limit' : money(whole.most.profit, true)}
                    </span>
                    , max loss{' '}
                    <span className="text-loss">
                      {whole.least.unlimited ? 'no limit' : money(whole.least.profit)}
                    </span>
                    , {percent(whole.chanceOfProfit, 0)} %
                  </span>
                </span>
              </button>
            </li>
          );
        })}
        {ideas.data?.length === 0 && (
          <li className="text-ink2">Nothing listed here serves that; try another expiration.</li>
        )}
      </ul>
    </>
  );
}

/** A leg at a delta, a deviation or a distance. */
function Pick({ symbol, expiration }: { symbol: string; expiration: string }) {
  const [side, setSide] = useState<PickQuery['side']>('put');
  const [by, setBy] = useState<PickQuery['by']>('delta');
  const [value, setValue] = useState('0.20');
  const pick = useMutation({
    mutationFn: async (quantity: 1 | -1) => {
      const found = must(
        await api.GET('/api/pick/{symbol}', {
          params: { path: { symbol }, query: { expiration, side, by, value: Number(value) } },
        }),
      );
      change(symbol, (d) => add(d, found.contract, quantity));
      return `${quantity > 0 ? 'bought' : 'sold'} the ${found.label}`;
    },
  });
  const wrong = value.trim() === '' || !Number.isFinite(Number(value));
  return (
    <div className="flex flex-wrap items-center gap-2 border-t border-hair pt-2">
      <span className="text-ink2">a leg</span>
      <Choices
        label="Right"
        value={side}
        onChange={setSide}
        choices={[
          { value: 'call', label: 'call' },
          { value: 'put', label: 'put' },
        ]}
      />
      <Choices
        label="Picked by"
        value={by}
        onChange={(v) => {
          setBy(v);
          setValue(
            v === 'delta'
              ? '0.20'
              : v === 'deviations'
                ? side === 'put'
                  ? '-1'
                  : '1'
                : side === 'put'
                  ? '-30'
                  : '30',
          );
        }}
        choices={[
          { value: 'delta', label: 'at delta' },
          { value: 'deviations', label: 'at σ' },
          { value: 'away', label: 'from the price' },
        ]}
      />
      <input
        aria-label="How much"
        inputMode="decimal"
        value={value}
        onChange={(e) => {
          setValue(e.target.value);
        }}
        className="num h-6 w-16 rounded border border-strong bg-ground px-1 font-semibold"
      />
      <Button
        disabled={wrong || pick.isPending}
        onClick={() => {
          pick.mutate(1);
        }}
      >
        buy
      </Button>
      <Button
        disabled={wrong || pick.isPending}
        onClick={() => {
          pick.mutate(-1);
        }}
      >
        sell
      </Button>
      {pick.data && (
        <span role="status" className="text-ink2">
          {pick.data}
        </span>
      )}
      {pick.error && <Notice>{pick.error.message}</Notice>}
    </div>
  );
}

/** Begins a draft: from what is wanted to happen, or leg by leg. */
export function BuildPanel({ symbol, mark }: { symbol: string; mark: Mark | undefined }) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button disabled={!mark}>build ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className={panel}
          aria-label="Build a draft"
        >
          {mark && (
            <>
              <p className="pb-1.5 text-ink2">
                What is wanted by {mark.label}, in {mark.days} days
              </p>
              <Ideas
                symbol={symbol}
                expiration={mark.key}
                onTaken={() => {
                  setOpen(false);
                }}
              />
              <Pick symbol={symbol} expiration={mark.key} />
            </>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
