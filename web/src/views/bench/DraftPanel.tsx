import { useQueries } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { Draft, Entry, Evaluation, Leg, LegAnswer } from '../../api/client';
import { listedQuery } from '../../api/queries';
import { isOption, keyOf, otherKind, parts, withStrike } from '../../drafts/contract';
import { DraftMenu } from '../../drafts/DraftMenu';
import {
  add,
  more,
  MOST_LEGS,
  moveLeg,
  moveLegTo,
  packages,
  remove,
  swapKind,
  turnLeg,
} from '../../drafts/moves';
import { nudges } from '../../drafts/nudges';
import { change } from '../../drafts/store';
import { dayMonth, fixed, percent } from '../../format';
import { Button, CommandButton, Choices } from '../../ui/controls';
import { Term } from '../../ui/terms';
import { useCommands, type Acts } from '../../ui/commands';
import { Scroll } from '../../ui/Page';

const field = 'h-6 rounded border border-strong bg-ground px-1 font-semibold';
const stepper = '!h-6 !px-1.5';
type Listed = {
  strikes: number[];
  marks: { key: string; label: string; days: number; date: string }[];
};

/** Strikes and expirations of a draft's legs. */
export function useListed(draft: Draft | undefined): {
  of: (contract: string) => Listed | undefined;
  strikesOf: (contract: string) => number[];
  marks: Listed['marks'];
} {
  const keys = useMemo(
    () => [
      ...new Set(
        (draft?.legs ?? []).filter((l) => isOption(l.contract)).map((l) => keyOf(l.contract)),
      ),
    ],
    [draft],
  );
  const found = useQueries({
    queries: keys.map((key) => listedQuery(draft?.symbol ?? '', key)),
    combine: (all) => all.map((q) => q.data),
  });
  return useMemo(() => {
    const of = (contract: string) => found[keys.indexOf(keyOf(contract))];
    return {
      of,
      strikesOf: (contract) => of(contract)?.strikes ?? [],
      marks: found.find((f) => f)?.marks ?? [],
    };
  }, [found, keys]);
}

/** A whole number that is written; what is none is left standing until it is one. */
function Quantity({
  name,
  value,
  onChange,
}: {
  name: string;
  value: number;
  onChange: (n: number) => void;
}) {
  const [text, setText] = useState<string>();
  return (
    <input
      inputMode="numeric"
      aria-label={`how many of the ${name}`}
      value={text ?? String(value)}
      onBlur={() => {
        setText(undefined);
      }}
      className={`${field} w-11 text-center tabular-nums`}
      onChange={(e) => {
        const t = e.target.value.trim();
        setText(t);
        if (/^[1-9]\d{0,5}$/.test(t)) onChange(Number(t));
      }}
    />
  );
}

function LegRow({
  draft,
  leg,
  listed,
  entry,
  answer,
}: {
  draft: Draft;
  leg: Leg;
  listed: ReturnType<typeof useListed>;
  entry: Entry;
  /** Its market and Greeks. */
  answer: LegAnswer | undefined;
}) {
  const act = (f: (d: Draft) => Draft) => () => {
    change(draft.symbol, f);
  };
  const option = isOption(leg.contract);
  const p = option ? parts(leg.contract) : undefined;
  const step = answer?.step ?? 1;
  const strikes = listed.strikesOf(leg.contract);
  const name = p ? `${p.strike} ${p.kind === 'C' ? 'call' : 'put'}` : draft.symbol;
  const at = p ? strikes.indexOf(p.strike) : -1;
  const strike = (by: number) => {
    const next = strikes[at + by];
    return at < 0 || next === undefined ? undefined : act((d) => moveLeg(d, leg.contract, next));
  };
  const price = typeof entry === 'object' && 'legs' in entry ? entry.legs : undefined;
  return (
    <li className="flex flex-col gap-1 border-t border-hair py-1.5" data-bench-leg={leg.contract}>
      <div className="flex items-center gap-1">
        <button
          type="button"
          onClick={act((d) => turnLeg(d, leg.contract))}
          aria-label={`${leg.quantity > 0 ? 'buy' : 'sell'} the ${name}: reverse it`}
          className={`h-6 w-10 rounded text-[12px] font-semibold ${leg.quantity > 0 ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`}
        >
          {leg.quantity > 0 ? 'buy' : 'sell'}
        </button>
        <Button
          className={stepper}
          aria-label={`fewer of the ${name}`}
          onClick={act((d) =>
            more(
              d,
              leg.contract,
              -Math.sign(leg.quantity) * Math.min(step, Math.abs(leg.quantity)),
            ),
          )}
        >
          −
        </Button>
        <Quantity
          name={name}
          value={Math.abs(leg.quantity)}
          onChange={(n) => {
            change(draft.symbol, (d) =>
              more(d, leg.contract, Math.sign(leg.quantity) * (n - Math.abs(leg.quantity))),
            );
          }}
        />
        <Button
          className={stepper}
          aria-label={`more of the ${name}`}
          onClick={act((d) => more(d, leg.contract, Math.sign(leg.quantity) * step))}
        >
          +
        </Button>
        <span className="grow text-right">
          {p ? (
            <Button
              weight="quiet"
              className={stepper}
              aria-label={`${name}: a ${p.kind === 'C' ? 'put' : 'call'} instead`}
              onClick={act((d) => swapKind(d, leg.contract))}
            >
              {p.kind === 'C' ? 'call' : 'put'}
            </Button>
          ) : (
            <b className="truncate">the underlying</b>
          )}
        </span>
        <Button
          weight="quiet"
          className={stepper}
          aria-label={`take the ${name} out`}
          onClick={act((d) => remove(d, leg.contract))}
        >
          ×
        </Button>
      </div>
      {p && (
        <div className="flex items-center gap-1">
          <Button
            className={stepper}
            aria-label={`${name}: one strike lower`}
            disabled={!strike(-1)}
            onClick={strike(-1)}
          >
            ‹
          </Button>
          <b className="w-12 text-center tabular-nums">{p.strike}</b>
          <Button
            className={stepper}
            aria-label={`${name}: one strike higher`}
            disabled={!strike(1)}
            onClick={strike(1)}
          >
            ›
          </Button>
          <select
            aria-label={`expiration of the ${name}`}
            value={keyOf(leg.contract)}
            onChange={(e) => {
              change(draft.symbol, (d) => moveLegTo(d, leg.contract, e.target.value));
            }}
            className={`${field} min-w-0 grow`}
          >
            {listed.marks.some((m) => m.key === keyOf(leg.contract)) ? null : (
              <option value={keyOf(leg.contract)}>{dayMonth(p.date)}</option>
            )}
            {listed.marks.map((m) => (
              <option key={m.key} value={m.key}>
                {m.label}, {m.days} d
              </option>
            ))}
          </select>
        </div>
      )}
      {answer && (
        <p className="num flex justify-between text-[12px] text-ink2">
          <span>
            {answer.bid} <span className="sr-only">bid</span>/ {answer.ask}
            <span className="sr-only"> ask</span>
          </span>
          {p && (
            <span>
              <Term of="implied" /> {percent(answer.vol)} %
            </span>
          )}
          <span>
            <Term of="delta" /> {fixed(answer.greeks.delta, 1, true)}
          </span>
        </p>
      )}
      {price && (
        <label className="flex items-center justify-end gap-2 text-ink2">
          at
          <input
            inputMode="decimal"
            placeholder={answer && `${answer.bid}/${answer.ask}`}
            value={price[leg.contract] ?? ''}
            className={`num w-20 ${field}`}
            onChange={(e) => {
              const text = e.target.value.trim();
              const rest = Object.fromEntries(
                Object.entries(price).filter(([k]) => k !== leg.contract),
              );
              change(draft.symbol, (d) => ({
                ...d,
                entry: { legs: text === '' ? rest : { ...rest, [leg.contract]: text } },
              }));
            }}
          />
        </label>
      )}
    </li>
  );
}

const DECIMAL = /^-?\d+([.-]\d+)?$/;
/** Where the entry price comes from. */
function EntryChooser({
  draft,
  evaluation: e,
}: {
  draft: Draft;
  evaluation: Evaluation | undefined;
}) {
  const entry = draft.entry ?? 'middle';
  const kind = typeof entry === 'string' ? entry : 'net' in entry ? 'net' : 'legs';
  const [text, setText] = useState<string>();
  const set = (next: Entry) => {
    change(draft.symbol, (d) => ({ ...d, entry: next }));
  };
  const shown =
    text ?? (typeof entry === 'object' && 'net' in entry ? entry.net.replace('-', '') : '');
  const credit = typeof entry === 'object' && 'net' in entry && entry.net.startsWith('-');
  return (
    <div className="flex flex-col gap-1">
      <Choices
        label="Entry price"
        value={kind}
        onChange={(v) => {
          setText(undefined);
          set(v === 'net' ? { net: e?.price.value ?? '0' } : v === 'legs' ? { legs: {} } : v);
        }}
        choices={[
          { value: 'rest', label: 'rest' },
          { value: 'middle', label: 'middle' },
          { value: 'cross', label: 'cross' },
          { value: 'net', label: 'net' },
          { value: 'legs', label: 'legs' },
        ]}
      />
      {kind === 'net' && (
        <div className="flex items-center gap-1">
          <input
            aria-label="Net price by hand"
            inputMode="decimal"
            value={shown}
            className={`num w-20 ${field}`}
            onChange={(ev) => {
              const t = ev.target.value.trim();
              setText(t);
              if (DECIMAL.test(t)) set({ net: credit ? `-${t}` : t });
            }}
          />
          <Choices
            label="Pay or receive"
            value={credit ? 'credit' : 'debit'}
            onChange={(side) => {
              if (DECIMAL.test(shown)) set({ net: side === 'credit' ? `-${shown}` : shown });
            }}
            choices={[
              { value: 'debit', label: 'debit' },
              { value: 'credit', label: 'credit' },
            ]}
          />
        </div>
      )}
      {e && (
        <p className="text-ink2">
          entry{' '}
          <b className="text-ink">
            {e.price.amount} {e.price.side}
          </b>
          , middle {e.middle.amount}
        </p>
      )}
    </div>
  );
}

/** The draft's legs with steppers, and everything that moves it as a whole. */
export function DraftPanel({
  draft,
  evaluation: e,
  price,
  acts,
}: {
  draft: Draft;
  evaluation: Evaluation | undefined;
  price: number | undefined;
  acts: Acts;
}) {
  const listed = useListed(draft);
  const entry = draft.entry ?? 'middle';
  const act = (f: (d: Draft) => Draft) => () => {
    change(draft.symbol, f);
  };
  const expirations = listed.marks.map((m) => m.key);
  const all = useMemo(
    () => ({ ...nudges(draft.symbol, listed.strikesOf, expirations, price), ...acts }),
    [draft.symbol, listed, expirations, price, acts],
  );
  useCommands(all);
  const first = draft.legs.find((l) => isOption(l.contract));
  // Another leg begins in the expiration of the first, at the listed strike nearest to the price that
  // no leg of its kind has: it must not close one.
  const another = (kind: 'C' | 'P') => {
    const at = (strike: number) =>
      first &&
      withStrike(
        parts(first.contract).kind === kind ? first.contract : otherKind(first.contract),
        strike,
      );
    const strikes = (first ? listed.strikesOf(first.contract) : []).filter(
      (k) => !draft.legs.some((l) => l.contract === at(k)),
    );
    const nearest = strikes.reduce<number | undefined>(
      (best, k) =>
        best === undefined || Math.abs(k - (price ?? 0)) < Math.abs(best - (price ?? 0)) ? k : best,
      undefined,
    );
    const contract = nearest === undefined ? undefined : at(nearest);
    if (contract === undefined) return undefined;
    return act((d) => add(d, contract, 1));
  };
  const full = draft.legs.length >= MOST_LEGS;
  return (
    <section
      aria-label="Legs"
      className="flex w-[240px] flex-col gap-2 overflow-auto border-r border-hair px-2.5 py-2"
      tabIndex={-1}
    >
      <div className="flex items-center justify-between gap-1">
        <b className="truncate">{draft.name ?? 'Draft'}</b>
        <DraftMenu symbol={draft.symbol} />
      </div>
      {draft.note && (
        <Scroll label="Note" className="max-h-16 shrink-0 whitespace-pre-wrap text-ink2">
          {draft.note}
        </Scroll>
      )}
      <ul>
        {draft.legs.map((l) => (
          <LegRow
            key={l.contract}
            draft={draft}
            leg={l}
            listed={listed}
            entry={entry}
            answer={e?.legs.find((x) => x.contract === l.contract)}
          />
        ))}
      </ul>
      {first && (
        <div className="flex items-center gap-1">
          <span className="grow text-ink2">
            {full ? `${MOST_LEGS} legs are all an order takes` : 'buy one near the price'}
          </span>
          <Button disabled={full || !another('C')} onClick={another('C')}>
            + call
          </Button>
          <Button disabled={full || !another('P')} onClick={another('P')}>
            + put
          </Button>
        </div>
      )}
      <div className="grid grid-cols-[auto_1fr_1fr] items-center gap-1 border-t border-hair pt-2">
        <span className="text-ink2">strikes</span>
        <CommandButton of="strikeDown">lower</CommandButton>
        <CommandButton of="strikeUp">higher</CommandButton>
        <span className="text-ink2">width</span>
        <CommandButton of="narrower" />
        <CommandButton of="wider" />
        <span className="text-ink2">sold</span>
        <CommandButton of="lessSold">fewer</CommandButton>
        <CommandButton of="moreSold">more</CommandButton>
        <span className="text-ink2">× {packages(draft)}</span>
        <CommandButton of="fewer" />
        <CommandButton of="more" />
      </div>
      <div className="grid grid-cols-2 gap-1">
        <CommandButton of="reverse" />
        <CommandButton of="recentre" disabled={price === undefined} />
        <CommandButton of="undo" />
        <CommandButton of="redo" />
      </div>
      <EntryChooser key={JSON.stringify(draft.legs)} draft={draft} evaluation={e} />
    </section>
  );
}
