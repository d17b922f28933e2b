import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Order } from '../api/client';
import { evaluationQuery, ordersQuery } from '../api/queries';
import { shortWhen } from '../format';
import { money } from '../money';
import { Button, Choices, Notice } from '../ui/controls';
import { MarginSheet } from './MarginSheet';
import { chosenOf, isPrice, PriceChooser, signed, type Chosen } from './PriceChooser';
import { ties } from './ties';

const field = 'num h-6 rounded border border-strong bg-ground px-1.5 font-semibold';

/** Eases the limit of an order step by step, or stops it. */
function Ease({ order, to, tick }: { order: Order; to: Chosen; tick: string }) {
  const [step, setStep] = useState(tick);
  const [every, setEvery] = useState('30');
  const [written, setEnd] = useState<Chosen>();
  const end = written ?? to;
  const path = { params: { path: { id: order.id } } };
  const ease = useMutation({
    mutationFn: async (stop: boolean) =>
      must(
        await api.POST('/api/orders/{id}/ease', {
          ...path,
          body: stop ? {} : { step, every: Number(every), to: signed(end) },
        }),
      ),
  });
  if (order.easing) {
    return (
      <div className="flex items-center gap-2">
        <span data-testid="easing">
          Easing by {order.easing.step} every {order.easing.every} s to {order.easing.to.amount}{' '}
          {order.easing.to.side}
        </span>
        <Button
          disabled={ease.isPending}
          onClick={() => {
            ease.mutate(true);
          }}
        >
          Stop easing
        </Button>
      </div>
    );
  }
  return (
    <fieldset className="flex flex-col gap-1.5 border-t border-hair pt-2">
      <legend className="sr-only">Ease the price</legend>
      <div className="flex flex-wrap items-center gap-1.5">
        <span className="font-semibold">Ease</span> by{' '}
        <input
          aria-label="Step of easing"
          inputMode="decimal"
          value={step}
          onChange={(e) => {
            setStep(e.target.value.trim());
          }}
          className={`${field} w-14`}
        />
        every{' '}
        <input
          aria-label="Seconds between steps"
          inputMode="numeric"
          value={every}
          onChange={(e) => {
            setEvery(e.target.value.trim());
          }}
          className={`${field} w-12`}
        />{' '}
        s to{' '}
        <input
          aria-label="Price easing ends at"
          inputMode="decimal"
          value={end.amount}
          onChange={(e) => {
            setEnd({ ...end, amount: e.target.value.trim() });
          }}
          className={`${field} w-16`}
        />
        <Choices
          label="Debit or credit at the end of easing"
          value={end.side}
          onChange={(side) => {
            setEnd({ ...end, side });
          }}
          choices={[
            { value: 'credit', label: 'credit' },
            { value: 'debit', label: 'debit' },
          ]}
        />
        <Button
          disabled={
            !isPrice(step) || !isPrice(end.amount) || !/^\d+$/.test(every) || ease.isPending
          }
          onClick={() => {
            ease.mutate(false);
          }}
        >
          Start easing
        </Button>
      </div>
      {ease.error && <Notice>{ease.error.message}</Notice>}
    </fieldset>
  );
}

function Change({ order }: { order: Order }) {
  const [written, setWritten] = useState<Chosen>();
  const [size, setSize] = useState<string>();
  const request = {
    symbol: order.symbol,
    legs: order.unit.map((l) => ({ ...l, quantity: l.quantity * order.quantity })),
    closes: order.closes ?? null,
    rolls: order.rolls,
  };
  const current = order.limit ? chosenOf(order.limit) : undefined;
  const value = written ?? current;
  const market = useQuery(
    evaluationQuery(
      value && isPrice(value.amount) ? { ...request, entry: { net: signed(value) } } : request,
      1_000,
    ),
  );
  const path = { params: { path: { id: order.id } } };
  const change = useMutation({
    mutationFn: async (limit: string) =>
      must(await api.POST('/api/orders/{id}/limit', { ...path, body: { limit } })),
    onSuccess: () => {
      setWritten(undefined);
    },
  });
  const resize = useMutation({
    mutationFn: async (quantity: number) =>
      must(await api.POST('/api/orders/{id}/quantity', { ...path, body: { quantity } })),
    onSuccess: () => {
      setSize(undefined);
    },
  });
  const untie = useMutation({
    mutationFn: async () => must(await api.POST('/api/orders/{id}/untie', path)),
  });
  const cancel = useMutation({
    mutationFn: async () => must(await api.POST('/api/orders/{id}/cancel', path)),
  });
  const trouble = change.error ?? resize.error ?? untie.error ?? cancel.error;
  const changed =
    written !== undefined &&
    current !== undefined &&
    Number(signed(written)) !== Number(signed(current));
  const wanted = size ?? String(order.quantity);
  return (
    <div className="flex flex-col gap-3">
      {market.data && value && (
        <PriceChooser
          evaluation={market.data}
          value={value}
          onChange={setWritten}
          chance={market.data.fillChance}
        />
      )}
      <div className="flex items-center gap-2">
        <label htmlFor="resize">packages in all</label>
        <input
          id="resize"
          inputMode="numeric"
          value={wanted}
          onChange={(e) => {
            setSize(e.target.value.trim());
          }}
          className={`${field} w-16`}
        />
        <Button
          disabled={
            !/^\d{1,6}$/.test(wanted) || Number(wanted) === order.quantity || resize.isPending
          }
          onClick={() => {
            resize.mutate(Number(wanted));
          }}
        >
          Change size
        </Button>
      </div>
      {trouble && <Notice>{trouble.message}</Notice>}
      <div className="flex gap-2">
        {current && (
          <Button
            weight="strong"
            disabled={!changed || change.isPending}
            onClick={() => {
              if (written) change.mutate(signed(written));
            }}
          >
            Change price
          </Button>
        )}
        <Button
          disabled={cancel.isPending}
          onClick={() => {
            cancel.mutate();
          }}
        >
          Cancel order
        </Button>
        {(order.after != null || order.cancels.length > 0) && (
          <Button
            disabled={untie.isPending}
            onClick={() => {
              untie.mutate();
            }}
          >
            Untie
          </Button>
        )}
        <MarginSheet
          request={{ ...request, entry: order.limit ? { net: order.limit.value } : 'cross' }}
          name={`order ${order.id}`}
          weight="quiet"
        />
      </div>
      {market.data && current && (
        <Ease order={order} to={chosenOf(market.data.cross)} tick={market.data.tick} />
      )}
    </div>
  );
}

/** The order as the standard's text, for inspection. */
function AsText({ id }: { id: number }) {
  const [open, setOpen] = useState(false);
  const text = useQuery({
    queryKey: ['orders', id, 'fix'],
    enabled: open,
    queryFn: async () =>
      must(await api.GET('/api/orders/{id}/fix', { params: { path: { id } }, parseAs: 'text' })),
  });
  return (
    <div>
      <Button
        weight="quiet"
        aria-expanded={open}
        onClick={() => {
          setOpen(!open);
        }}
      >
        as FIX text {open ? '▴' : '▾'}
      </Button>
      {open && text.data && (
        <p data-testid="fix" className="text-[12px] break-all text-ink2">
          {text.data}
        </p>
      )}
      {text.error && <Notice>{text.error.message}</Notice>}
    </div>
  );
}

/** What became of an order: accepted, working, fills; change its price, cancel it. */
export function OrderCard({ id }: { id: number }) {
  const orders = useQuery(ordersQuery);
  const order = orders.data?.find((o) => o.id === id);
  if (!order)
    return (
      <p className="text-ink2">
        {orders.isPending || orders.isFetching ? 'Reading the order' : `There is no order ${id}.`}
      </p>
    );
  return (
    <div className="flex flex-col gap-3">
      <p className="font-serif text-[16px] leading-6">
        {order.quantity} × {order.symbol} {order.name}
      </p>
      <p>
        <b data-testid="order-state" className={order.open ? 'text-brass' : ''}>
          {order.state}
        </b>
        {order.filled > 0 &&
          ` · ${order.filled} of ${order.quantity} filled${order.fillPrice ? ` at ${order.fillPrice.amount} ${order.fillPrice.side}` : ''}`}
        {order.limit && ` · limit ${order.limit.amount} ${order.limit.side}`} · {order.timeInForce}
      </p>
      {ties(order) && <p className="text-ink2">{ties(order)}</p>}
      <ul>
        {order.legs.map((l) => (
          <li key={l}>{l}</li>
        ))}
      </ul>
      <ol aria-label="What happened" className="flex flex-col border-y border-hair py-1">
        {order.events.map((ev, i) => (
          <li key={i} className="flex gap-3">
            <time className="text-ink2 tabular-nums">{shortWhen(ev.at)}</time>
            {ev.what}
          </li>
        ))}
      </ol>
      {order.fills.length > 0 && (
        <table className="w-full" aria-label="Fills by leg">
          <thead>
            <tr className="text-[12px] text-ink2">
              <th scope="col" className="text-left font-normal">
                fills, by leg
              </th>
              <th scope="col" className="text-right font-normal">
                quantity
              </th>
              <th scope="col" className="text-right font-normal">
                price
              </th>
            </tr>
          </thead>
          {order.fills.map((f, i) => (
            <tbody key={i} className="border-b border-hair">
              <tr>
                <th scope="row" className="text-left font-semibold">
                  {shortWhen(f.at)}, fees {money(f.fees)}
                </th>
                <td className="num font-semibold">{f.packages}</td>
                <td className="num font-semibold">
                  {f.price.amount} {f.price.side}
                </td>
              </tr>
              {f.legs.length > 1 &&
                f.legs.map((l) => (
                  <tr key={l.label}>
                    <td className="pl-3 text-ink2">{l.label}</td>
                    <td className="num">
                      {l.quantity > 0 ? '+' : '−'}
                      {Math.abs(l.quantity)}
                    </td>
                    <td className="num">{l.price}</td>
                  </tr>
                ))}
            </tbody>
          ))}
        </table>
      )}
      {order.open && <Change key={order.quantity} order={order} />}
      <AsText id={order.id} />
    </div>
  );
}
