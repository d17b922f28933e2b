import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Evaluation, type PlaceRequest } from '../api/client';
import { evaluationQuery } from '../api/queries';
import { dayMonth, money, shortWhen } from '../format';
import { Button, Choices, Notice } from '../ui/controls';
import { AttachChooser, attachedIsWritten, attachedWords, exitsOf, type Attached } from './AttachChooser';
import { Checks, MoneyTable } from './MoneyTable';
import { openOrder, type Ticket } from './open';
import { chosenOf, isPrice, PriceChooser, signed, type Chosen } from './PriceChooser';
import { StopChooser, stopIsWritten, stopWords, triggerOf, type Stop } from './StopChooser';

type Kind = 'limit' | 'market' | 'stop';
type Stand = PlaceRequest['timeInForce'];
const legWords = (e: Evaluation, quantity: number) => e.legs.map((l) => `${l.ratio > 0 ? 'buy' : 'sell'} ${Math.abs(l.ratio) * quantity} ${l.expiry ? `× ${l.label}, ${dayMonth(l.expiry)}` : l.label}`);

function Legs({ lines }: { lines: string[] }) {
  return <ul className="flex flex-col">{lines.map((l) => <li key={l} className={l.startsWith('buy') ? '' : 'text-ink2'}>{l}</li>)}</ul>;
}

export function TicketForm({ ticket }: { ticket: Ticket }) {
  const [quantityText, setQuantity] = useState(String(ticket.quantity));
  const [kind, setKind] = useState<Kind>('limit');
  const [written, setWritten] = useState<Chosen>();
  const [stand, setStand] = useState<Stand>('day');
  const [until, setUntil] = useState('');
  const [writtenStop, setStop] = useState<Stop>();
  const [exitsWritten, setAttached] = useState<Attached>({});
  const [reading, setReading] = useState(false);
  // What closes it waits for it: not for what ends at once, nor for what closes already.
  const attachable = !ticket.closing && stand !== 'immediateOrCancel';
  const attached = attachable ? exitsWritten : {};
  const quantity = /^\d{1,6}$/.test(quantityText) ? Number(quantityText) : 0;
  const legs = ticket.unit.map((l) => ({ ...l, quantity: l.quantity * Math.max(1, quantity) }));
  const valid = written === undefined || isPrice(written.amount);
  const base = { symbol: ticket.symbol, legs, closes: ticket.closing?.campaign ?? null };
  const market = useQuery(evaluationQuery(base, 1_000));
  const limit = written ?? (market.data ? chosenOf(market.data.middle) : undefined);
  const stop = writtenStop ?? (market.data ? { trailing: false, level: chosenOf(market.data.cross), distance: '0.50', watch: 'mark' as const, then: 'market' as const } : undefined);
  const limited = kind === 'limit' || (kind === 'stop' && stop?.then === 'limit');
  const price = !limited ? market.data?.cross.value : limit && valid ? signed(limit) : undefined;
  const priced = useQuery(evaluationQuery(price === undefined ? null : { ...base, entry: { net: price } }, 1_000));
  const place = useMutation({
    mutationFn: async () => {
      const body: PlaceRequest = {
        clientId: ticket.clientId, symbol: ticket.symbol, legs: ticket.unit, quantity, closes: ticket.closing?.campaign ?? null,
        limit: limited && limit ? signed(limit) : null, trigger: kind === 'stop' && stop ? triggerOf(stop) : null,
        timeInForce: stand, goodTill: stand === 'goodTillDate' ? until : null,
      };
      const exits = exitsOf(attached, body);
      if (exits.length === 0) return must(await api.POST('/api/orders', { body }));
      const placed = must(await api.POST('/api/orders/linked', { body: { tie: exits.length === 2 ? 'bracket' : 'oneTriggersOther', orders: [body, ...exits] } }));
      return placed[0];
    },
    onSuccess: (order) => { if (order) openOrder(order.id); },
  });
  const trouble = market.error ?? priced.error;
  if (trouble && !market.data) return <Notice>{trouble.message}</Notice>;
  const e = priced.data ?? market.data;
  if (!market.data || !e || !limit || !stop) return <p className="text-ink2">Asking for the market</p>;
  const what = ticket.closing ? `close ${ticket.closing.name}` : `${e.name} ${e.strikes}`;
  const words = kind === 'market' ? `at the market, ${market.data.cross.amount} ${market.data.cross.side} now` : kind === 'stop' ? stopWords(stop, limit) : `at ${limit.amount} ${limit.side} or better`;
  const stands = { day: 'for this session', goodTillCancelled: 'until filled or cancelled', goodTillDate: `until ${until && dayMonth(until)}`, immediateOrCancel: 'at once, the rest ends', fillOrKill: 'at once and whole' }[stand];
  const ready = (kind !== 'stop' || stopIsWritten(stop)) && (!limited || valid) && attachedIsWritten(attached);
  if (reading) {
    return (
      <div className="flex flex-col gap-3">
        <p className="font-serif text-[16px] leading-6">{`${quantity} × ${what} on ${ticket.symbol}, ${words}, ${stands}.`}{attachedWords(attached)}</p>
        <Legs lines={legWords(e, quantity)} />
        <p className="font-serif text-[15px] leading-6 italic">{kind === 'stop' ? (limited ? 'As if it traded at its limit now: ' : 'As if it traded at the cross now: ') : ''}{e.sentences.join(' ')}</p>
        <MoneyTable evaluation={e} />
        <Checks evaluation={e} />
        {place.error && <Notice>{place.error.message}</Notice>}
        <div className="flex gap-2">
          <Button onClick={() => { setReading(false); place.reset(); }}>Back</Button>
          <Button weight="strong" autoFocus disabled={place.isPending} onClick={() => { place.mutate(); }}>{place.isPending ? 'Placing' : 'Place order'}</Button>
        </div>
      </div>
    );
  }
  return (
    <div className="flex flex-col gap-3">
      <p className="font-serif text-[16px] leading-5" data-testid="ticket-name">{what} on {ticket.symbol}</p>
      <Legs lines={legWords(e, Math.max(1, quantity))} />
      <div className="flex items-center gap-2">
        <label htmlFor="quantity" className="font-semibold">{e.legs.length > 1 ? 'Packages' : e.legs[0]?.expiry ? 'Contracts' : 'Quantity'}</label>
        <Button aria-label="one fewer" onClick={() => { setQuantity(String(Math.max(1, quantity - 1))); }}>−</Button>
        <input id="quantity" autoFocus inputMode="numeric" value={quantityText} onChange={(ev) => { setQuantity(ev.target.value.trim()); }} className="num h-6 w-16 rounded border border-strong bg-ground px-2 font-semibold" />
        <Button aria-label="one more" onClick={() => { setQuantity(String(quantity + 1)); }}>+</Button>
        {ticket.closing && <span className="text-ink2">of {ticket.closing.held} held</span>}
        {!ticket.closing && e.allowed != null && <Button weight="quiet" disabled={e.allowed < 1} onClick={() => { setQuantity(String(e.allowed)); }}>by my rule: {e.allowed}</Button>}
      </div>
      <Choices label="Order type" value={kind} onChange={setKind} choices={[{ value: 'limit', label: 'limit' }, { value: 'market', label: 'market' }, { value: 'stop', label: 'stop' }]} />
      <Choices label="Time in force" value={stand} onChange={setStand} choices={[{ value: 'day', label: 'day' }, { value: 'goodTillCancelled', label: 'good till cancelled' }, { value: 'goodTillDate', label: 'to a date' }, { value: 'immediateOrCancel', label: 'at once' }]} />
      {stand === 'goodTillDate' && <label className="flex items-center gap-2">last day<input type="date" value={until} onChange={(ev) => { setUntil(ev.target.value); }} className="h-7 rounded border border-strong bg-ground px-2 font-semibold tabular-nums" /></label>}
      {kind === 'stop' && <StopChooser evaluation={market.data} value={stop} onChange={setStop} />}
      {limited && <PriceChooser evaluation={market.data} value={limit} onChange={setWritten} />}
      {limited && !valid && <Notice>{`“${written.amount}” is not a price; write it like ${market.data.middle.amount}.`}</Notice>}
      {quantity === 0 && <Notice>{`“${quantityText}” is not a quantity; write a whole number above zero.`}</Notice>}
      {trouble && <Notice>{trouble.message}</Notice>}
      {attachable && <AttachChooser evaluation={market.data} value={attached} onChange={setAttached} />}
      <MoneyTable evaluation={e} />
      <Checks evaluation={e} />
      <p className="text-[12px] text-ink2">market as of {shortWhen(market.data.at)} · margin alone {money(e.money.requirementAlone)}</p>
      <Button weight="strong" className="self-start" disabled={!ready || quantity === 0 || !!trouble || (stand === 'goodTillDate' && !until)} onClick={() => { setWritten(limit); setStop(stop); setReading(true); }}>Read back</Button>
    </div>
  );
}
