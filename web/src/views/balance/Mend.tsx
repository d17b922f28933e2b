import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import {
  api,
  must,
  type BookItem,
  type BookLooked,
  type Leg,
  type Look,
  type Mended,
  type MendRequest,
  type Remedy,
} from '../../api/client';
import { packages, turn, unitOf } from '../../drafts/moves';
import { put } from '../../drafts/store';
import { count, fixed, shortWhen } from '../../format';
import { cents } from '../../money';
import { openDraft, openTicket } from '../../ticket/open';
import { Button, Choices, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { Term } from '../../ui/terms';
import { lookAtDraft, tryOut, useTrial } from './look';

type Of = MendRequest['goal']['of'];
type Least = NonNullable<MendRequest['least']>;
const field = 'num h-6 w-24 rounded border border-strong bg-raised px-1 font-semibold';
const read = (text: string) => {
  const n = Number(text.trim().replace('−', '-').replaceAll(',', ''));
  return text.trim() === '' || !Number.isFinite(n) ? undefined : n;
};

type Asked = { of: Of; from: string; to: string; most: string; sector: string };
function goalOf(a: Asked): MendRequest['goal'] | undefined {
  const [from, to, most] = [read(a.from), read(a.to), read(a.most)];
  switch (a.of) {
    case 'lean':
    case 'vega':
      return from === undefined || to === undefined ? undefined : { of: a.of, from, to };
    case 'stress':
      return most === undefined ? undefined : { of: 'stress', most };
    case 'sector':
      return most === undefined || a.sector === ''
        ? undefined
        : { of: 'sector', sector: a.sector, most };
  }
}

/** What can be done with one remedy: look at it on the map, make the draft, or open the rework. */
function Deeds({ r, held }: { r: Remedy; held: Leg[] }) {
  const navigate = useNavigate();
  const trial = useTrial((s) => s.trial);
  const [full, setFull] = useState(false);
  const shown = trial === r;
  const draft = () => {
    const slot = put({ symbol: r.symbol, legs: r.legs });
    if (!slot) {
      setFull(true);
      return undefined;
    }
    tryOut(undefined);
    lookAtDraft(slot);
    return slot;
  };
  return (
    <span className="inline-flex flex-wrap items-center justify-end gap-1">
      <Button
        aria-pressed={shown}
        className="!h-5"
        onClick={() => {
          tryOut(shown ? undefined : r);
        }}
      >
        {shown ? 'shown' : 'on the map'}
      </Button>
      {r.campaign == null ? (
        <>
          <Button className="!h-5" onClick={draft}>
            draft
          </Button>
          <Button
            className="!h-5"
            onClick={() => {
              if (draft()) openDraft({ symbol: r.symbol, legs: r.legs });
            }}
          >
            ticket
          </Button>
        </>
      ) : (
        <Button
          className="!h-5"
          onClick={() => {
            tryOut(undefined);
            const campaign = r.campaign ?? 0;
            if (r.legs.length > 0) {
              void navigate(`/rework/${campaign}`, { state: { then: r.legs } });
              return;
            }
            const closing = turn({ symbol: r.symbol, legs: held });
            openTicket({
              symbol: r.symbol,
              unit: unitOf(closing),
              quantity: packages(closing),
              closing: { campaign, name: r.symbol, held: packages(closing) },
            });
          }}
        >
          {r.legs.length === 0 ? 'ticket' : 'rework'}
        </Button>
      )}
      {full && (
        <span role="alert" className="text-loss">
          All four places of the tray are taken; throw one away first.
        </span>
      )}
    </span>
  );
}

function Found({ m, of, items }: { m: Mended; of: Of; items: BookItem[] }) {
  const held = (r: Remedy) =>
    items.find((i) => i.source === 'campaign' && i.number === r.campaign)?.legs ?? [];
  const change = (after: number, before: number, decimals: number, plus = true) => (
    <>
      {fixed(after, decimals, plus)}
      <span className="block text-[11px] leading-3 text-ink2">
        {fixed(after - before, decimals, true)}
      </span>
    </>
  );
  const columns: Column<Remedy>[] = [
    {
      key: 'what',
      head: 'what',
      left: true,
      cell: (r) => (
        <>
          <b>{r.symbol}</b> {r.words}
          {r.packages > 1 && <b> × {r.packages}</b>}
          {r.leaves.length > 0 && (
            <span className="block text-[12px] text-loss">
              leaves my band of {r.leaves.join(', ')}
            </span>
          )}
        </>
      ),
    },
    { key: 'cash', head: 'cash', by: (r) => Number(r.cash), cell: (r) => cents(r.cash, true) },
    {
      key: 'cost',
      head: 'cost a day',
      by: (r) => r.costADay,
      cell: (r) => fixed(r.costADay, 2, true),
    },
    {
      key: 'lean',
      head: 'lean',
      by: (r) => r.after.lean,
      cell: (r) => change(r.after.lean, m.before.lean, 1),
    },
    {
      key: 'theta',
      head: 'theta',
      by: (r) => r.after.theta,
      cell: (r) => change(r.after.theta, m.before.theta, 0),
    },
    {
      key: 'vega',
      head: 'vega',
      by: (r) => r.after.vega,
      cell: (r) => change(r.after.vega, m.before.vega, 0),
    },
    {
      key: 'stress',
      head: 'stress loss',
      by: (r) => r.after.stress,
      cell: (r) => change(r.after.stress, m.before.stress, 0, false),
    },
    {
      key: 'capital',
      head: of === 'sector' ? 'sector' : 'capital at risk',
      by: (r) => (of === 'sector' ? r.after.sector : r.after.capital),
      cell: (r) =>
        of === 'sector'
          ? change(r.after.sector, m.before.sector, 0, false)
          : change(r.after.capital, m.before.capital, 0, false),
    },
    { key: 'do', head: 'do', cell: (r) => <Deeds r={r} held={held(r)} /> },
  ];
  if (m.there)
    return (
      <p data-testid="mend-found">
        The book is there already, as of {shortWhen(m.at)}: nothing has to be done.
      </p>
    );
  return (
    <>
      <p data-testid="mend-found" className="text-ink2">
        <b className="text-ink">{count(m.looked)}</b> changes looked at over {m.symbols.join(', ')}{' '}
        and the campaigns that are switched in; {count(m.beyond)} are beyond the buying power,{' '}
        <b className="text-ink">{count(m.reach)}</b> of the others reach it, as of {shortWhen(m.at)}
        . The best, two of a kind:
      </p>
      {m.best.length > 0 && (
        <DataTable
          label="Changes that mend it"
          rows={m.best}
          columns={columns}
          id={(r) => `${r.symbol} ${r.words} ${r.campaign ?? ''} ${r.packages}`}
        />
      )}
      <p className="text-[12px] text-ink2">
        Cost a day: what a day earns less, with fees and half the width of the market spread over
        the days to its first end. Side effects: bands that it leaves, then what it adds to stress
        loss and capital at risk. The stress loss is the worst of twelve moves of the index within
        10 %, volatility answering by twice each name’s fall, as rules count it. Lean through the
        index and betas above.
      </p>
    </>
  );
}

/** Mend: for a goal, the smallest changes that reach it. */
export function Mend({ look, looked: b }: { look: Look; looked: BookLooked }) {
  const [asked, setAsked] = useState<Asked>({ of: 'lean', from: '', to: '', most: '', sector: '' });
  const [least, setLeast] = useState<Least>('sideEffects');
  const [days, setDays] = useState({ from: '20', to: '60' });
  const [uncovered, setUncovered] = useState(false);
  const set = (part: Partial<Asked>) => {
    setAsked((a) => ({ ...a, ...part }));
  };
  const goal = goalOf(asked);
  const [daysFrom, daysTo] = [read(days.from), read(days.to)];
  const badDays =
    daysFrom === undefined || daysTo === undefined || daysFrom < 0 || daysTo < daysFrom;
  const search = useMutation({
    mutationFn: async (g: MendRequest['goal']) =>
      must(
        await api.POST('/api/balance/mend', {
          body: {
            look,
            goal: g,
            least,
            daysFrom: daysFrom ?? 0,
            daysTo: daysTo ?? 0,
            uncovered,
          },
        }),
      ),
    onMutate: () => {
      tryOut(undefined);
    },
  });
  const sectors = [
    ...new Set(b.items.flatMap((i) => (i.on && i.sector != null ? [i.sector] : []))),
  ].sort();
  const banded = asked.of === 'lean' || asked.of === 'vega';
  return (
    <section aria-label="Mend" className="flex flex-col gap-2">
      <form
        className="flex flex-wrap items-center gap-x-3 gap-y-1.5"
        onSubmit={(e) => {
          e.preventDefault();
          if (goal && !badDays) search.mutate(goal);
        }}
      >
        <Term of="mend">bring</Term>
        <Choices
          label="What is to be mended"
          value={asked.of}
          onChange={(of) => {
            set({ of });
          }}
          choices={[
            { value: 'lean', label: 'lean' },
            { value: 'stress', label: 'stress loss' },
            { value: 'vega', label: 'vega' },
            { value: 'sector', label: 'a sector' },
          ]}
        />
        {asked.of === 'sector' && (
          <select
            aria-label="Sector"
            value={asked.sector}
            onChange={(e) => {
              set({ sector: e.target.value });
            }}
            className="h-6 rounded border border-strong bg-raised px-1"
          >
            <option value="">which</option>
            {sectors.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        )}
        {banded ? (
          <>
            <label className="flex items-center gap-1 text-ink2">
              from
              <input
                aria-label="From"
                inputMode="decimal"
                value={asked.from}
                onChange={(e) => {
                  set({ from: e.target.value });
                }}
                className={field}
              />
            </label>
            <label className="flex items-center gap-1 text-ink2">
              to
              <input
                aria-label="To"
                inputMode="decimal"
                value={asked.to}
                onChange={(e) => {
                  set({ to: e.target.value });
                }}
                className={field}
              />
            </label>
          </>
        ) : (
          <label className="flex items-center gap-1 text-ink2">
            at most
            <input
              aria-label="At most"
              inputMode="decimal"
              value={asked.most}
              onChange={(e) => {
                set({ most: e.target.value });
              }}
              className={field}
            />
            {asked.of === 'sector' && '% of the account at risk'}
          </label>
        )}
        <label className="flex items-center gap-1 text-ink2">
          by options of
          <input
            aria-label="Days from"
            aria-invalid={badDays}
            inputMode="numeric"
            value={days.from}
            onChange={(e) => {
              setDays({ ...days, from: e.target.value });
            }}
            className={`${field} !w-12`}
          />
          to
          <input
            aria-label="Days to"
            aria-invalid={badDays}
            inputMode="numeric"
            value={days.to}
            onChange={(e) => {
              setDays({ ...days, to: e.target.value });
            }}
            className={`${field} !w-12`}
          />
          days
        </label>
        <Choices
          label="The least of"
          value={least}
          onChange={setLeast}
          choices={[
            { value: 'sideEffects', label: 'side effects' },
            { value: 'costADay', label: 'cost a day' },
            { value: 'capital', label: 'capital' },
            { value: 'packages', label: 'packages' },
          ]}
        />
        <label className="flex items-center gap-1.5 text-ink2">
          <input
            type="checkbox"
            checked={uncovered}
            onChange={(e) => {
              setUncovered(e.target.checked);
            }}
            className="accent-[var(--brass)]"
          />
          uncovered sales too
        </label>
        <Button type="submit" weight="strong" disabled={!goal || badDays || search.isPending}>
          {search.isPending ? 'Looking' : 'Look for it'}
        </Button>
      </form>
      {search.error && <Notice>{search.error.message}</Notice>}
      {search.data && <Found m={search.data} of={asked.of} items={b.items} />}
      {!search.data && !search.error && (
        <p className="max-w-[80ch] text-ink2">
          Say where the book should be. Verticals, options, shares and futures on indexes and on
          funds of many names are looked through, and for every campaign closing it, taking half
          off, closing a side and rolling it; the least that gets there stands first. Nothing is
          sent.
        </p>
      )}
    </section>
  );
}
