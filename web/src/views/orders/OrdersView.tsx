import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Order, type OrderMarket } from '../../api/client';
import { orderMarketsQuery, ordersQuery } from '../../api/queries';
import { longWhen, percent, shortWhen } from '../../format';
import { money } from '../../money';
import { openOrder } from '../../ticket/open';
import { ties } from '../../ticket/ties';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';
import { Term, type TermKey } from '../../ui/terms';
import { Page } from '../../ui/Page';

const th =
  'sticky top-0 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

type Group = 'Working' | 'Filled' | 'Ended';
const EMPTY: Record<Group, string> = {
  Working:
    'Nothing is working. A ticket placed from the chain or the book waits here until it fills.',
  Filled: 'Nothing has been filled yet.',
  Ended: 'Nothing was cancelled, and nothing ended unfilled.',
};

type Head = { name: string; width?: number; left?: boolean; spare?: boolean; term?: TermKey };
/** A column that gives way where the page is not wide. */
const SPARE = 'max-[1180px]:hidden';
const FIRST: Head[] = [
  { name: 'order', width: 52 },
  { name: 'placed', width: 132, left: true, spare: true },
  { name: 'symbol', width: 72, left: true },
  { name: 'structure', left: true },
  { name: 'filled', width: 60 },
  { name: 'limit', width: 96, term: 'limit' },
];
const TIME: Head = {
  name: 'time in force',
  spare: true,
  width: 126,
  left: true,
  term: 'timeInForce',
};
const WORKING: Head[] = [
  ...FIRST.map((h) => (h.name === 'placed' ? { ...h, width: 98 } : h)),
  { name: 'rest · middle · cross', width: 156, term: 'market' },
  { name: 'away', width: 58, term: 'distance' },
  { name: 'chance', width: 60, term: 'chanceOfFill' },
  TIME,
  { name: 'state', width: 92, left: true },
  { name: 'actions', width: 116, left: true },
];
const PAST: Head[] = [
  ...FIRST,
  { name: 'average', width: 100, term: 'average' },
  TIME,
  { name: 'state', width: 160, left: true },
  { name: 'actions', width: 116, left: true },
];

/** Orders under the one they wait for, otherwise as they come. */
function asTree(list: Order[]): { order: Order; under: boolean }[] {
  const there = new Set(list.map((o) => o.id));
  const waits = (o: Order) => o.after != null && there.has(o.after);
  return list
    .filter((o) => !waits(o))
    .flatMap((o) => [
      { order: o, under: false },
      ...list.filter((c) => c.after === o.id).map((c) => ({ order: c, under: true })),
    ]);
}

/** Why an order ended, where the exchange ended it. */
function reason(o: Order): string {
  const last = o.events.at(-1)?.what ?? '';
  return last.startsWith('ended: ') ? `, ${last.slice(7)}` : '';
}

type Picking = { picked: number[]; pick: (id: number, on: boolean) => void };
/** Where the market of a working order stands: rest, middle, cross; from the middle to the limit. */
function MarketCells({ order: o, market: m }: { order: Order; market: OrderMarket | undefined }) {
  return (
    <>
      <td data-head="market" className="num px-2 whitespace-nowrap">
        {m ? (
          <>
            {m.rest.amount} · <b>{m.middle.amount}</b> · {m.cross.amount}
            {m.middle.side !== o.limit?.side && ` ${m.middle.side}`}
          </>
        ) : (
          <span className="text-ink2">no market</span>
        )}
      </td>
      <td data-head="from the limit" className="num px-2">
        {m?.away != null && money(m.away, true)}
      </td>
      <td data-head="chance of a fill" className="num px-2">
        {m?.waits ? (
          <span className="text-loss" title={m.waits}>
            waits
          </span>
        ) : (
          m?.chance != null && `${percent(m.chance, 0)} %`
        )}
      </td>
    </>
  );
}

function Line({
  order: o,
  under,
  picking,
  market,
}: {
  order: Order;
  under: boolean;
  picking?: Picking | undefined;
  market: OrderMarket | undefined;
}) {
  return (
    <tr className="border-b border-hair">
      <td className="num px-2">
        {picking ? (
          <label className="flex items-center justify-end gap-1.5">
            <input
              type="checkbox"
              aria-label={`pick order ${o.id}`}
              checked={picking.picked.includes(o.id)}
              onChange={(e) => {
                picking.pick(o.id, e.target.checked);
              }}
              className="accent-[var(--brass)]"
            />
            {o.id}
          </label>
        ) : (
          o.id
        )}
      </td>
      <td className={`px-2 py-1 whitespace-nowrap tabular-nums ${SPARE} max-md:block`}>
        {o.open ? shortWhen(o.placed) : longWhen(o.placed)}
      </td>
      <td className="px-2 font-semibold">{o.symbol}</td>
      <td data-whole className={under ? 'pr-2 pl-6' : 'px-2'}>
        {under && (
          <span aria-hidden className="text-ink2">
            └{' '}
          </span>
        )}
        {o.name}
        {o.campaign && (
          <div className="text-[12px] text-ink2">
            {o.rolls ? 'rolls' : 'closes'}{' '}
            <Link to={`/campaign/${o.closes}`} className="underline underline-offset-2">
              {o.campaign}
            </Link>
          </div>
        )}
        {o.easing && (
          <div className="text-[12px] text-brass">
            easing by {o.easing.step} every {o.easing.every} s to {o.easing.to.amount}{' '}
            {o.easing.to.side}
          </div>
        )}
        {ties(o) && <div className="text-[12px] text-ink2">{ties(o)}</div>}
      </td>
      <td data-head="filled" className="num px-2">
        {o.filled} / {o.quantity}
      </td>
      <td data-head="limit" className="num px-2">
        {o.limit ? `${o.limit.amount} ${o.limit.side}` : 'market'}
      </td>
      {o.open ? (
        <MarketCells order={o} market={market} />
      ) : (
        <td data-head="filled at" className="num px-2">
          {o.fillPrice ? `${o.fillPrice.amount} ${o.fillPrice.side}` : ''}
        </td>
      )}
      <td className={`px-2 ${SPARE} max-md:block`}>{o.timeInForce}</td>
      <td className="px-2 py-1">
        <span className={`font-semibold ${o.open ? 'text-brass' : ''}`}>{o.state}</span>
        {!o.open && (
          <span className="text-[12px] text-ink2">
            {' '}
            {shortWhen(o.events.at(-1)?.at ?? o.placed)}
            {reason(o)}
          </span>
        )}
      </td>
      <td className="px-2">
        <Button
          onClick={() => {
            openOrder(o.id);
          }}
          aria-label={`${o.open ? 'change, cancel' : 'show'} order ${o.id}`}
        >
          {o.open ? 'change, cancel' : 'show'}
        </Button>
      </td>
    </tr>
  );
}

export function OrdersView() {
  const orders = useQuery(ordersQuery);
  const markets = useQuery(orderMarketsQuery).data ?? [];
  const earlier = useMutation({
    mutationFn: async (before: number) => {
      const page = must(await api.GET('/api/orders', { params: { query: { before } } }));
      setPast((known) => [...page, ...known]);
      setWhole(page.length === 0);
    },
  });
  // Orders that have ended never change: what was read once stays.
  const [before, setPast] = useState<Order[]>([]);
  const [whole, setWhole] = useState(false);
  const read = orders.data ?? [];
  const known = new Set(read.map((o) => o.id));
  const all = [...before.filter((o) => !known.has(o.id)), ...read];
  const firstEnded = all.find((o) => !o.open)?.id;
  const [wanted, setWanted] = useState('');
  const [sure, setSure] = useState(false);
  const found = (o: Order) =>
    `${o.id} ${o.symbol} ${o.name} ${o.campaign ?? ''} ${o.state} ${o.legs.join(' ')} ${longWhen(o.placed)}`
      .toLowerCase()
      .includes(wanted.trim().toLowerCase());
  const working = all.filter((o) => o.open);
  const open = working.filter(found);
  const [chosen, setPicked] = useState<number[]>([]);
  const picked = chosen.filter((id) => working.some((o) => o.id === id));
  const pick = (id: number, on: boolean) => {
    setPicked(on ? [...picked, id] : picked.filter((x) => x !== id));
  };
  const tie = useMutation({
    mutationFn: async (how: 'oneCancelsOther' | 'oneTriggersOther') =>
      must(await api.POST('/api/orders/tie', { body: { tie: how, orders: picked } })),
    onSuccess: () => {
      setPicked([]);
    },
  });
  const past = all.filter((o) => !o.open && found(o)).reverse();
  const groups: [Group, Order[]][] = [
    ['Working', open],
    ['Filled', past.filter((o) => o.state === 'filled')],
    ['Ended', past.filter((o) => o.state !== 'filled')],
  ];
  const cancelAll = useMutation({
    mutationFn: async () =>
      must(await api.POST('/api/orders/cancel', { body: { orders: open.map((o) => o.id) } })),
    onSettled: () => {
      setSure(false);
    },
  });
  return (
    <Page
      title="Orders"
      beside={
        <>
          <input
            aria-label="Find among all orders"
            placeholder="symbol, structure, campaign, state"
            value={wanted}
            onChange={(e) => {
              setWanted(e.target.value);
            }}
            className="h-6 w-72 rounded border border-strong bg-raised px-2 placeholder:text-ink2"
          />
          {wanted.trim() !== '' && (
            <span role="status" className="text-ink2">
              {open.length + past.length} of {all.length}
            </span>
          )}
        </>
      }
    >
      {cancelAll.error && <Notice>{cancelAll.error.message}</Notice>}
      {tie.error && <Notice>{tie.error.message}</Notice>}
      {cancelAll.data && (
        <div role="status" className="my-1 rounded border border-strong bg-raised px-2 py-1">
          <b>What became of the orders that were to be cancelled</b>
          <ul>
            {cancelAll.data.map((o) => (
              <li key={o.id}>
                {o.id}, {o.symbol} {o.name}: {o.state}
                {o.filled > 0 && `, ${o.filled} of ${o.quantity} filled`}
                {reason(o)}
              </li>
            ))}
          </ul>
          <Button
            weight="quiet"
            onClick={() => {
              cancelAll.reset();
            }}
          >
            Close
          </Button>
        </div>
      )}
      <Asked query={orders} what="orders">
        {() => (
          <>
            {groups.map(([title, list]) => (
              <section key={title} aria-label={title} className="mb-5">
                <div className="flex items-center gap-3 py-1">
                  <h2 className="font-semibold">{title}</h2>
                  {title === 'Working' && open.length > 1 && (
                    <Button
                      disabled={cancelAll.isPending}
                      onBlur={() => {
                        setSure(false);
                      }}
                      onClick={() => {
                        if (sure) cancelAll.mutate();
                        else setSure(true);
                      }}
                    >
                      {`${wanted.trim() === '' ? 'Cancel all' : 'Cancel these'}${sure ? ` ${open.length}: sure?` : ''}`}
                    </Button>
                  )}
                  {title === 'Working' &&
                    open.length > 1 &&
                    (picked.length < 2 ? (
                      <span className="text-ink2">pick two or more to tie them</span>
                    ) : (
                      <>
                        <Button
                          disabled={tie.isPending}
                          onClick={() => {
                            tie.mutate('oneCancelsOther');
                          }}
                        >
                          one of {picked.join(', ')} cancels the other{picked.length > 2 ? 's' : ''}
                        </Button>
                        <Button
                          disabled={tie.isPending}
                          onClick={() => {
                            tie.mutate('oneTriggersOther');
                          }}
                        >
                          once {picked[0]} fills, {picked.slice(1).join(', ')}{' '}
                          {picked.length > 2 ? 'go' : 'goes'} out
                        </Button>
                      </>
                    ))}
                </div>
                {list.length === 0 ? (
                  <p className="text-ink2">
                    {wanted.trim() !== ''
                      ? `No ${title.toLowerCase()} order has “${wanted.trim()}” in it.`
                      : EMPTY[title]}
                  </p>
                ) : (
                  <table className="cards w-full table-fixed border-collapse">
                    <colgroup>
                      {(title === 'Working' ? WORKING : PAST).map((c) => (
                        <col
                          key={c.name}
                          className={c.spare ? SPARE : undefined}
                          style={c.width ? { width: c.width } : undefined}
                        />
                      ))}
                    </colgroup>
                    <thead>
                      <tr>
                        {(title === 'Working' ? WORKING : PAST).map((c) => (
                          <th
                            key={c.name}
                            className={`${c.left ? left : right} ${c.spare ? SPARE : ''}`}
                          >
                            {c.term ? (
                              <Term of={c.term}>{c.name}</Term>
                            ) : c.name === 'actions' ? (
                              <span className="sr-only">{c.name}</span>
                            ) : (
                              c.name
                            )}
                          </th>
                        ))}
                      </tr>
                    </thead>
                    <tbody>
                      {asTree(list).map(({ order, under }) => (
                        <Line
                          key={order.id}
                          order={order}
                          under={under}
                          market={markets.find((m) => m.order === order.id)}
                          picking={
                            title === 'Working' && open.length > 1 ? { picked, pick } : undefined
                          }
                        />
                      ))}
                    </tbody>
                  </table>
                )}
              </section>
            ))}
          </>
        )}
      </Asked>
      {firstEnded !== undefined && firstEnded > 1 && !whole && (
        <p className="flex items-center gap-3">
          <Button
            disabled={earlier.isPending}
            onClick={() => {
              earlier.mutate(firstEnded);
            }}
          >
            Orders before {firstEnded}
          </Button>
          {earlier.error && <Notice>{earlier.error.message}</Notice>}
        </p>
      )}
    </Page>
  );
}
