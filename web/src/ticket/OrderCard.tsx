import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Order } from '../api/client';
import { evaluationQuery, ordersQuery } from '../api/queries';
import { shortWhen } from '../format';
import { Button, Notice } from '../ui/controls';
import { chosenOf, PriceChooser, signed, type Chosen } from './PriceChooser';
import { ties } from './ties';

function Change({ order }: { order: Order }) {
  const [written, setWritten] = useState<Chosen>();
  const market = useQuery(evaluationQuery({ symbol: order.symbol, legs: order.unit, closes: order.closes ?? null }, 1_000));
  const current = order.limit ? chosenOf(order.limit) : undefined;
  const value = written ?? current;
  const path = { params: { path: { id: order.id } } };
  const change = useMutation({ mutationFn: async (limit: string) => must(await api.POST('/api/orders/{id}/limit', { ...path, body: { limit } })), onSuccess: () => { setWritten(undefined); } });
  const cancel = useMutation({ mutationFn: async () => must(await api.POST('/api/orders/{id}/cancel', path)) });
  const trouble = change.error ?? cancel.error;
  const changed = written !== undefined && current !== undefined && Number(signed(written)) !== Number(signed(current));
  return (
    <div className="flex flex-col gap-3">
      {market.data && value && <PriceChooser evaluation={market.data} value={value} onChange={setWritten} />}
      {trouble && <Notice>{trouble.message}</Notice>}
      <div className="flex gap-2">
        {current && <Button weight="strong" disabled={!changed || change.isPending} onClick={() => { if (written) change.mutate(signed(written)); }}>Change price</Button>}
        <Button disabled={cancel.isPending} onClick={() => { cancel.mutate(); }}>Cancel order</Button>
      </div>
    </div>
  );
}

/** The order as the standard's text, for inspection. */
function AsText({ id }: { id: number }) {
  const [open, setOpen] = useState(false);
  const text = useQuery({ queryKey: ['orders', id, 'fix'], enabled: open, queryFn: async () => must(await api.GET('/api/orders/{id}/fix', { params: { path: { id } }, parseAs: 'text' })) });
  return (
    <div>
      <Button weight="quiet" aria-expanded={open} onClick={() => { setOpen(!open); }}>as FIX text {open ? '▴' : '▾'}</Button>
      {open && text.data && <p data-testid="fix" className="text-[12px] break-all text-ink2">{text.data}</p>}
      {text.error && <Notice>{text.error.message}</Notice>}
    </div>
  );
}

/** What became of an order: accepted, working, fills; change its price, cancel it. */
export function OrderCard({ id }: { id: number }) {
  const orders = useQuery(ordersQuery);
  const order = orders.data?.find((o) => o.id === id);
  if (!order) return <p className="text-ink2">{orders.isPending || orders.isFetching ? 'Reading the order' : `There is no order ${id}.`}</p>;
  return (
    <div className="flex flex-col gap-3">
      <p className="font-serif text-[16px] leading-6">{order.quantity} × {order.symbol} {order.name}</p>
      <p><b data-testid="order-state" className={order.open ? 'text-brass' : ''}>{order.state}</b>
        {order.filled > 0 && ` · ${order.filled} of ${order.quantity} filled${order.fillPrice ? ` at ${order.fillPrice.amount} ${order.fillPrice.side}` : ''}`}
        {order.limit && ` · limit ${order.limit.amount} ${order.limit.side}`} · {order.timeInForce}</p>
      {ties(order) && <p className="text-ink2">{ties(order)}</p>}
      <ul>{order.legs.map((l) => <li key={l}>{l}</li>)}</ul>
      <ol aria-label="What happened" className="flex flex-col border-y border-hair py-1">
        {order.events.map((ev, i) => <li key={i} className="flex gap-3"><time className="text-ink2 tabular-nums">{shortWhen(ev.at)}</time>{ev.what}</li>)}
      </ol>
      {order.open && <Change order={order} />}
      <AsText id={order.id} />
    </div>
  );
}
