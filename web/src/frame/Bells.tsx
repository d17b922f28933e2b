import { useMutation, useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { api, must, type Bell } from '../api/client';
import { useLive } from '../api/live';
import { bellsQuery, marketsQuery } from '../api/queries';
import { isOption, parts } from '../drafts/contract';
import { useDrafts } from '../drafts/store';
import { dayMonth, shortWhen } from '../format';
import { isPrice } from '../ticket/PriceChooser';
import { Button, Choices, Notice } from '../ui/controls';

function Line({ b, act, name, busy }: { b: Bell; act: () => void; name: string; busy: boolean }) {
  return (
    <li className="flex items-start gap-2 border-b border-hair py-1">
      <div className="min-w-0 grow">
        <span className={b.rings ? 'font-semibold' : ''}>{b.says ?? b.listens}</span>
        <div className="text-[12px] text-ink2">
          {b.rung ? `rang ${shortWhen(b.rung)}` : `set ${shortWhen(b.set)}`}
        </div>
      </div>
      <Button disabled={busy} onClick={act} aria-label={`${name}: ${b.says ?? b.listens}`}>
        {name}
      </Button>
    </li>
  );
}

const named = (contract: string) => {
  if (!isOption(contract)) return contract;
  const p = parts(contract);
  return `${p.strike} ${p.kind === 'C' ? 'call' : 'put'}, ${dayMonth(p.date)}`;
};

type Of = 'underlying' | 'contract' | 'package';

/** A new bell on a price of an underlying, of a leg of the draft, or of the draft itself. */
function NewBell() {
  const markets = useQuery(marketsQuery).data ?? [];
  const watched = useLive((s) => s.head?.symbol);
  const draft = useDrafts((s) => s.drafts[s.active]);
  const [of, setOf] = useState<Of>('underlying');
  const [chosen, setSymbol] = useState<string>();
  const [leg, setLeg] = useState<string>();
  const [side, setSide] = useState<'above' | 'below'>('above');
  const [level, setLevel] = useState('');
  const [paid, setPaid] = useState<'debit' | 'credit'>('debit');
  const symbol =
    of === 'underlying' ? (chosen ?? watched ?? markets[0]?.symbol ?? '') : (draft?.symbol ?? '');
  const legs = draft?.legs ?? [];
  const contract =
    leg !== undefined && legs.some((l) => l.contract === leg) ? leg : legs[0]?.contract;
  const set = useMutation({
    mutationFn: async () => {
      const unit =
        of === 'underlying'
          ? []
          : of === 'contract'
            ? [{ contract: contract ?? '', quantity: 1 }]
            : legs;
      must(
        await api.POST('/api/bells', {
          body: {
            symbol,
            legs: unit,
            side:
              of === 'package' && paid === 'credit' ? (side === 'above' ? 'below' : 'above') : side,
            level: of === 'package' && paid === 'credit' ? `-${level}` : level,
          },
        }),
      );
    },
    onSuccess: () => {
      setLevel('');
    },
  });
  const more = of === 'package';
  return (
    <form
      className="flex flex-col gap-2 border-t border-strong pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate();
      }}
    >
      <div className="font-semibold">A new bell</div>
      <Choices
        label="Bell on"
        value={of}
        onChange={setOf}
        choices={[
          { value: 'underlying', label: 'an underlying' },
          { value: 'contract', label: 'a leg of the draft' },
          { value: 'package', label: 'the draft' },
        ]}
      />
      {of === 'underlying' && (
        <label className="flex items-center gap-2">
          symbol
          <select
            aria-label="Symbol of the bell"
            value={symbol}
            onChange={(e) => {
              setSymbol(e.target.value);
            }}
            className="h-6 rounded border border-strong bg-ground px-1"
          >
            {markets.map((m) => (
              <option key={m.symbol} value={m.symbol}>
                {m.symbol}
              </option>
            ))}
          </select>
        </label>
      )}
      {of !== 'underlying' && legs.length === 0 && (
        <p className="text-ink2">
          The tray holds no draft; click an ask or a bid in the chain first.
        </p>
      )}
      {of === 'contract' && legs.length > 0 && (
        <select
          aria-label="Leg of the bell"
          value={contract}
          onChange={(e) => {
            setLeg(e.target.value);
          }}
          className="h-6 rounded border border-strong bg-ground px-1"
        >
          {legs.map((l) => (
            <option key={l.contract} value={l.contract}>
              {named(l.contract)}
            </option>
          ))}
        </select>
      )}
      <div className="flex items-center gap-2">
        <Choices
          label="Side of the level"
          value={side}
          onChange={setSide}
          choices={
            more
              ? [
                  { value: 'above', label: 'at or more than' },
                  { value: 'below', label: 'at or less than' },
                ]
              : [
                  { value: 'above', label: 'at or above' },
                  { value: 'below', label: 'at or below' },
                ]
          }
        />
        <input
          aria-label="Level of the bell"
          inputMode="decimal"
          value={level}
          onChange={(e) => {
            setLevel(e.target.value.trim());
          }}
          className="num h-6 w-20 rounded border border-strong bg-ground px-2 font-semibold"
        />
        {more && (
          <Choices
            label="Debit or credit of the bell"
            value={paid}
            onChange={setPaid}
            choices={[
              { value: 'credit', label: 'credit' },
              { value: 'debit', label: 'debit' },
            ]}
          />
        )}
      </div>
      {set.error && <Notice>{set.error.message}</Notice>}
      <Button
        type="submit"
        weight="strong"
        className="self-start"
        disabled={
          !isPrice(level) ||
          symbol === '' ||
          (of !== 'underlying' && legs.length === 0) ||
          set.isPending
        }
      >
        Set the bell
      </Button>
    </form>
  );
}

/** What rings, what is set, and a new one. */
export function Bells() {
  const asked = useQuery(bellsQuery);
  const bells = asked.data ?? [];
  const [open, setOpen] = useState(false);
  const ringing = bells.filter((b) => b.rings);
  const set = bells.filter((b) => b.isSet);
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
  const trouble = answer.error ?? answerAll.error ?? remove.error ?? asked.error;
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
              Nothing rings. Fills, refusals, ends of orders and a deficit ring by themselves;
              prices ring where you set a bell.
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
          <NewBell />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
