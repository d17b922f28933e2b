import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Order } from '../../api/client';
import { ordersQuery } from '../../api/queries';
import { longWhen, shortWhen } from '../../format';
import { openOrder } from '../../ticket/open';
import { ties } from '../../ticket/ties';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';

const th =
  'sticky top-0 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

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
function Line({
  order: o,
  under,
  picking,
}: {
  order: Order;
  under: boolean;
  picking?: Picking | undefined;
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
      <td className="px-2 py-1 whitespace-nowrap tabular-nums">{longWhen(o.placed)}</td>
      <td className="px-2 font-semibold">{o.symbol}</td>
      <td className={under ? 'pr-2 pl-6' : 'px-2'}>
        {under && (
          <span aria-hidden className="text-ink2">
            └{' '}
          </span>
        )}
        {o.closes ? `${o.rolls ? '' : 'close '}${o.closes}: ` : ''}
        {o.name}
        {o.easing && (
          <div className="text-[12px] text-brass">
            easing by {o.easing.step} every {o.easing.every} s to {o.easing.to.amount}{' '}
            {o.easing.to.side}
          </div>
        )}
        {ties(o) && <div className="text-[12px] text-ink2">{ties(o)}</div>}
      </td>
      <td className="num px-2">
        {o.filled} / {o.quantity}
      </td>
      <td className="num px-2">{o.limit ? `${o.limit.amount} ${o.limit.side}` : 'market'}</td>
      <td className="num px-2">{o.fillPrice ? `${o.fillPrice.amount} ${o.fillPrice.side}` : ''}</td>
      <td className="px-2">{o.timeInForce}</td>
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
  const open = all.filter((o) => o.open);
  const [chosen, setPicked] = useState<number[]>([]);
  const picked = chosen.filter((id) => open.some((o) => o.id === id));
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
  const found = (o: Order) =>
    `${o.id} ${o.symbol} ${o.name} ${o.state} ${o.legs.join(' ')} ${longWhen(o.placed)}`
      .toLowerCase()
      .includes(wanted.trim().toLowerCase());
  const past = all.filter((o) => !o.open && found(o)).reverse();
  const groups: [string, Order[]][] = [
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
    <div className="h-full overflow-auto px-4 pb-6" tabIndex={0}>
      <h1 className="pt-3 pb-1 font-serif text-[22px]">Orders</h1>
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
                      {sure ? `Cancel all ${open.length}: sure?` : 'Cancel all'}
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
                  {title === 'Filled' && (
                    <input
                      aria-label="Find among filled and ended orders"
                      placeholder="symbol, structure, state"
                      value={wanted}
                      onChange={(e) => {
                        setWanted(e.target.value);
                      }}
                      className="h-6 w-56 rounded border border-strong bg-raised px-2 placeholder:text-ink2"
                    />
                  )}
                </div>
                {list.length === 0 ? (
                  <p className="text-ink2">
                    {title === 'Working'
                      ? 'Nothing is working. A ticket placed from the chain or the book waits here until it fills.'
                      : wanted.trim() !== ''
                        ? `No ${title.toLowerCase()} order has “${wanted.trim()}” in it.`
                        : title === 'Filled'
                          ? 'Nothing has been filled yet.'
                          : 'Nothing was cancelled, and nothing ended unfilled.'}
                  </p>
                ) : (
                  <table className="w-full table-fixed border-collapse">
                    <colgroup>
                      {[60, 132, 72, null, 66, 100, 100, 132, 160, 116].map((w, i) => (
                        <col key={i} style={w === null ? undefined : { width: w }} />
                      ))}
                    </colgroup>
                    <thead>
                      <tr>
                        <th className={right}>order</th>
                        <th className={left}>placed</th>
                        <th className={left}>symbol</th>
                        <th className={left}>structure</th>
                        <th className={right}>filled</th>
                        <th className={right}>limit</th>
                        <th className={right}>average</th>
                        <th className={left}>time in force</th>
                        <th className={left}>state</th>
                        <th className={left}>
                          <span className="sr-only">actions</span>
                        </th>
                      </tr>
                    </thead>
                    <tbody>
                      {asTree(list).map(({ order, under }) => (
                        <Line
                          key={order.id}
                          order={order}
                          under={under}
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
    </div>
  );
}
