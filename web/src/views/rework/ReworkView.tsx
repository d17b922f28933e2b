import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useLocation, useParams } from 'react-router';
import {
  api,
  must,
  type Leg,
  type Reworked,
  type ReworkAt,
  type ReworkMove,
} from '../../api/client';
import { fixed, percent } from '../../format';
import { cents, money, negated, sum, tone } from '../../money';
import { openTicket } from '../../ticket/open';
import { useCommands, type Acts } from '../../ui/commands';
import { Button, Choices, CommandButton, Notice } from '../../ui/controls';
import { Scroll } from '../../ui/Page';
import { Term } from '../../ui/terms';
import { Moves } from './Moves';
import { Picture } from './Picture';
import { Ways } from './Ways';

type Asked = { legs: Leg[] | null; move?: ReworkMove; at: ReworkAt };
const ask = async (id: number, { legs, move, at }: Asked) =>
  must(
    await api.POST('/api/campaigns/{campaign}/rework', {
      params: { path: { campaign: id } },
      body: { legs, move: move ?? null, at },
    }),
  );

/** Most alternatives beside each other. */
const MOST = 3;
type Path = { past: (Leg[] | null)[]; now: Leg[] | null; future: (Leg[] | null)[] };
const FIRST: Path = { past: [], now: null, future: [] };

/** Where an open campaign is changed as a draft: what is held beside what would be held, judged before anything is sent. */
export function ReworkView() {
  const id = Number(useParams().id);
  return <Desk key={id} id={id} />;
}

function Desk({ id }: { id: number }) {
  const client = useQueryClient();
  // What was found elsewhere is where it begins; what is held is one step back.
  const given = (useLocation().state as { then?: Leg[] } | null)?.then;
  const [paths, setPaths] = useState<Path[]>(() => [
    given ? { past: [null], now: given, future: [] } : FIRST,
  ]);
  const [which, setWhich] = useState(0);
  const [at, setAt] = useState<ReworkAt>('middle');
  const path = paths[which] ?? FIRST;
  const set = (next: Path) => {
    setPaths((all) => all.map((p, i) => (i === which ? next : p)));
  };
  const answer = useQuery({
    queryKey: ['rework', id, path.now, at],
    queryFn: () => ask(id, { legs: path.now, at }),
    placeholderData: keepPreviousData,
    refetchInterval: 1_000,
    gcTime: 10_000,
    retry: false,
  });
  const step = useMutation({
    mutationFn: (move: ReworkMove) => ask(id, { legs: path.now, move, at }),
    onSuccess: (made) => {
      client.setQueryData(['rework', id, made.then, at], made);
      set({ past: [...path.past, path.now], now: made.then, future: [] });
    },
  });
  const r = answer.data;
  const old = answer.isPlaceholderData;
  const back = path.past.length > 0;
  const ahead = path.future.length > 0;
  const acts: Acts = {
    undo: () => {
      const before = path.past.at(-1);
      if (before === undefined) return;
      set({ past: path.past.slice(0, -1), now: before, future: [path.now, ...path.future] });
    },
    redo: () => {
      const next = path.future[0];
      if (next === undefined) return;
      set({ past: [...path.past, path.now], now: next, future: path.future.slice(1) });
    },
    ticket: () => {
      const c = r?.change;
      if (!r || !c || c.sequence != null || old) return;
      openTicket({
        symbol: r.symbol,
        unit: c.unit,
        quantity: c.packages,
        closing: { campaign: r.campaign, name: r.title, held: c.packages },
        becomes: r.after?.name ?? '',
      });
    },
  };
  const latest = useRef(acts);
  useEffect(() => {
    latest.current = acts;
  });
  useCommands(
    useMemo(
      (): Acts => ({
        undo: () => latest.current.undo?.(),
        redo: () => latest.current.redo?.(),
        ticket: () => latest.current.ticket?.(),
      }),
      [],
    ),
  );
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(640);
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => {
      if (e) setWidth(Math.floor(e.contentRect.width));
    });
    if (box.current) watch.observe(box.current);
    return () => {
      watch.disconnect();
    };
  }, [r === undefined]); // eslint-disable-line react-hooks/exhaustive-deps -- the box is there once there is an answer
  if (!r)
    return (
      <div className="p-6">
        {answer.error ? <Notice>{answer.error.message}</Notice> : 'Reading the campaign'}
      </div>
    );
  return (
    <div className="grid h-full grid-cols-[236px_minmax(0,1fr)_330px] max-[1180px]:grid-cols-[236px_minmax(0,1fr)] max-[1180px]:overflow-auto max-md:grid-cols-[minmax(0,1fr)]">
      <Scroll label="What can be done" className="border-r border-hair px-3 py-2">
        <Moves
          reworked={r}
          busy={step.isPending}
          onMove={(move) => {
            step.mutate(move);
          }}
        />
      </Scroll>
      <Scroll label="Before and after" className="flex min-w-0 flex-col gap-2 px-4 py-2">
        <div className="flex flex-wrap items-baseline gap-x-3">
          <h1 className="font-serif text-[20px] leading-7">
            <Term of="rework">Rework</Term> {r.title}
          </h1>
          <Link
            to={`/chain/${r.symbol}`}
            className="font-semibold text-brass underline-offset-2 hover:underline"
          >
            {r.symbol}
          </Link>
          <Link to={`/campaign/${r.campaign}`} className="underline underline-offset-2">
            campaign {r.campaign}
          </Link>
        </div>
        <div className="flex flex-wrap items-center gap-2">
          {paths.length > 1 && (
            <Choices
              label="Alternative"
              value={String(which)}
              onChange={(v) => {
                setWhich(Number(v));
              }}
              choices={paths.map((_, i) => ({ value: String(i), label: `way ${i + 1}` }))}
            />
          )}
          <Button
            disabled={paths.length >= MOST || !r.change}
            title="keeps this one and begins another beside it"
            onClick={() => {
              setPaths([...paths, FIRST]);
              setWhich(paths.length);
            }}
          >
            + another way
          </Button>
          <Button
            disabled={!back && !ahead}
            onClick={() => {
              set(FIRST);
            }}
          >
            as it is held
          </Button>
          {step.error && (
            <span
              className="text-loss"
              role="alert"
            >{`That leads nowhere: ${step.error.message}.`}</span>
          )}
        </div>
        <p className="flex flex-wrap gap-x-4 text-[12px] text-ink2">
          <span>
            <b className="text-ink">━</b> {r.after ? 'after, at its end' : 'at its end'}
          </span>
          <span>
            <b className="text-brass">━</b> today
          </span>
          {r.after && (
            <span>
              <b>┅</b> before
            </span>
          )}
          <span>all of the campaign, what is realised included</span>
        </p>
        <div ref={box} aria-busy={old} className={old ? 'old' : ''}>
          <Picture reworked={r} width={width} height={300} />
        </div>
        <Legs reworked={r} />
        <Ways
          id={id}
          at={at}
          onTake={(then) => {
            set({ past: [...path.past, path.now], now: then, future: [] });
            setTimeout(() => box.current?.scrollIntoView({ block: 'center' }));
          }}
        />
      </Scroll>
      <Scroll
        label="In words and money"
        className={`flex flex-col gap-3 border-l border-hair bg-raised px-3 py-2 max-[1180px]:col-span-2 max-md:col-span-1 ${old ? 'old' : ''}`}
      >
        <Sides reworked={r} />
        {r.change ? (
          <Change reworked={r} at={at} onAt={setAt} hindered={old} />
        ) : (
          <p className="font-serif text-[15px] text-ink2 italic">
            Nothing is changed yet. A move at the left shows here what it costs, what it realises
            and what the campaign would be.
          </p>
        )}
      </Scroll>
    </div>
  );
}

/** What is held beside what would be held. */
function Legs({ reworked: r }: { reworked: Reworked }) {
  const signed = (n: number) => (n === 0 ? '·' : fixed(n, 0, true));
  return (
    <table className="w-fit tabular-nums" aria-label="Legs">
      <thead>
        <tr className="text-[12px] text-ink2">
          <th className="pr-6 text-left font-normal">leg</th>
          <th className="num px-3 font-normal">held</th>
          <th className="num px-3 font-normal">then</th>
          <th className="num px-3 font-normal">order</th>
        </tr>
      </thead>
      <tbody>
        {r.legs.map((l) => (
          <tr key={l.contract} className="border-t border-hair">
            <th
              scope="row"
              className={`pr-6 text-left ${l.then === 0 ? 'font-normal text-ink2' : ''}`}
            >
              {l.label}
            </th>
            <td className="num px-3">{signed(l.held)}</td>
            <td className="num px-3 font-semibold">{signed(l.then)}</td>
            <td className="num px-3 text-brass">
              {l.then === l.held
                ? ''
                : `${l.then > l.held ? 'buy' : 'sell'} ${Math.abs(l.then - l.held)}`}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The campaign and the book before and after. */
function Sides({ reworked: r }: { reworked: Reworked }) {
  const { before: b, after: a } = r;
  const extent = (e: typeof b.most) =>
    e == null ? '—' : e.unlimited ? 'no limit' : money(e.profit, true);
  const evens = (s: typeof b) => s.evens.map((e) => money(e.from)).join(' · ') || 'none';
  const chance = (s: typeof b) => (s.chance == null ? '—' : `${percent(s.chance, 0)} %`);
  const days = (s: typeof b) => (s.days == null ? '—' : String(s.days));
  const rows: [string, string, string | null | undefined][] = [
    ['max profit', extent(b.most), a && extent(a.most)],
    ['max loss', extent(b.least), a && extent(a.least)],
    ['break-even', evens(b), a && evens(a)],
    ['chance of profit', chance(b), a && chance(a)],
    ['realised, less fees', money(b.booked, true), a && money(a.booked, true)],
    ['days to its end', days(b), a && days(a)],
    ['capital tied up', cents(b.capital), a && cents(a.capital)],
    ['margin alone', cents(b.margin), a && cents(a.margin)],
    ['θ a day', fixed(b.theta, 1, true), a && fixed(a.theta, 1, true)],
  ];
  const k = r.change?.book;
  const book: [string, string, string][] = k
    ? [
        ['lean of the book', fixed(k.before.lean, 1, true), fixed(k.after.lean, 1, true)],
        ['θ of the book', fixed(k.before.theta, 1, true), fixed(k.after.theta, 1, true)],
        ['vega of the book', fixed(k.before.vega, 1, true), fixed(k.after.vega, 1, true)],
        ['buying power', cents(k.before.buyingPower), cents(k.after.buyingPower)],
      ]
    : [];
  return (
    <>
      <p>
        <span className="text-ink2">before </span>
        {b.name}
        {a && (
          <>
            <br />
            <span className="text-ink2">after </span>
            <b>{a.name}</b>
          </>
        )}
      </p>
      <table className="w-full table-fixed tabular-nums" aria-label="Figures">
        <colgroup>
          <col className="w-[118px]" />
        </colgroup>
        <thead>
          <tr className="text-[12px] text-ink2">
            <th className="text-left font-normal">whole campaign</th>
            <th className="num font-normal">before</th>
            <th className="num font-normal">after</th>
          </tr>
        </thead>
        <tbody>
          {[...rows, ...book].map(([name, before, after]) => (
            <tr key={name} className="border-t border-hair">
              <th scope="row" className="text-left align-top font-normal whitespace-nowrap">
                {name}
              </th>
              <td className="num pl-2 whitespace-normal!">{before}</td>
              <td className="num pl-2 font-semibold whitespace-normal!">{after}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** The order between: what it closes and opens, at which price, what it realises, and what to look at. */
function Change({
  reworked: r,
  at,
  onAt,
  hindered,
}: {
  reworked: Reworked;
  at: ReworkAt;
  onAt: (at: ReworkAt) => void;
  hindered: boolean;
}) {
  const c = r.change;
  if (!c) return null;
  const prices = { rest: c.rest, middle: c.middle, cross: c.cross };
  const fees = negated(c.fees);
  const net = sum([c.cash, fees]);
  return (
    <div className="flex flex-col gap-2" data-testid="rework-change">
      <div>
        {c.closes.length > 0 && (
          <p>
            <b>closes</b> {c.closes.join(', ')}
          </p>
        )}
        {c.opens.length > 0 && (
          <p>
            <b>opens</b> {c.opens.join(', ')}
          </p>
        )}
      </div>
      <Choices
        label="Counted at"
        value={at}
        onChange={onAt}
        choices={(['rest', 'middle', 'cross'] as const).map((p) => ({
          value: p,
          label: `${p} ${prices[p].amount} ${prices[p].side === 'even' ? '' : prices[p].side}`,
        }))}
        wrap
      />
      <table className="w-full tabular-nums">
        <tbody>
          {[
            ['cash, before fees', c.cash],
            ['fees', fees],
            ['together', net],
            ['it realises', c.realises],
          ].map(([name = '', amount]) => (
            <tr key={name} className="border-t border-hair">
              <th scope="row" className="text-left font-normal">
                {name}
              </th>
              <td className={`num font-semibold ${tone(amount)}`}>{cents(amount, true)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {[...c.notes, ...c.checks.filter((x) => x.verdict !== 'fine').map((x) => x.text)].map(
        (text) => (
          <p key={text} className="text-brass">
            <span aria-hidden>◆ </span>
            {text}
          </p>
        ),
      )}
      {c.sequence ? (
        <Notice>{c.sequence}</Notice>
      ) : (
        <CommandButton of="ticket" weight="strong" disabled={hindered} className="self-start">
          Ticket
        </CommandButton>
      )}
    </div>
  );
}
