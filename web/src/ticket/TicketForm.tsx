import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Entry, type PlaceRequest } from '../api/client';
import { evaluationQuery } from '../api/queries';
import { dayMonth, shortWhen } from '../format';
import { DateField } from '../ui/DateField';
import { Button, Choices, Notice } from '../ui/controls';
import { AfterPicture } from './AfterPicture';
import {
  AttachChooser,
  attachedIsWritten,
  attachedWords,
  exitsOf,
  type Attached,
} from './AttachChooser';
import { Legs } from './Legs';
import { MarginSheet } from './MarginSheet';
import { Checks, MoneyTable } from './MoneyTable';
import { openOrder, type Ticket } from './open';
import { chosenOf, isPrice, PriceChooser, signed, type Chosen } from './PriceChooser';
import { Outcome } from './Outcome';
import { Picture } from './Picture';
import { ReadBack } from './ReadBack';
import { RiskRule } from './RiskRule';
import { RollChooser, useRoll, type Roll } from './RollChooser';
import { StopChooser, stopIsWritten, stopWords, triggerOf, type Stop } from './StopChooser';
import { KIND_WORDS, STANDS, STAND_WORDS, type Kind, type Stand } from './words';

const line = 'h-6 min-w-0 rounded border border-hair bg-ground px-2';

export function TicketForm({ ticket }: { ticket: Ticket }) {
  const [quantityText, setQuantity] = useState(String(ticket.quantity));
  const [kind, setKind] = useState<Kind>('limit');
  const [written, setWritten] = useState<Chosen>();
  const [stand, setStand] = useState<Stand>('day');
  const [until, setUntil] = useState('');
  const [writtenStop, setStop] = useState<Stop>();
  const [exitsWritten, setAttached] = useState<Attached>({});
  const [why, setWhy] = useState('');
  const [tags, setTags] = useState('');
  const [reading, setReading] = useState(false);
  const [rolling, setRolling] = useState(ticket.rolling === true);
  const [roll, setRoll] = useState<Roll>();
  const rolled = useRoll(ticket.closing?.campaign, rolling ? roll : undefined);
  // What closes it waits for it: not for what ends at once, nor for what closes already.
  const attachable = !ticket.closing && stand !== 'immediateOrCancel' && stand !== 'fillOrKill';
  const attached = attachable ? exitsWritten : {};
  const quantity = /^\d{1,6}$/.test(quantityText) ? Number(quantityText) : 0;
  const unit = rolling ? (rolled.data?.unit ?? []) : ticket.unit;
  const legs = unit.map((l) => ({ ...l, quantity: l.quantity * Math.max(1, quantity) }));
  const valid = written === undefined || isPrice(written.amount);
  const base = {
    symbol: ticket.symbol,
    legs,
    closes: ticket.closing?.campaign ?? null,
    rolls: rolling || ticket.becomes !== undefined,
  };
  const market = useQuery(
    evaluationQuery(legs.length > 0 ? { ...base, entry: 'middle' } : null, 1_000),
  );
  const limit = written ?? (market.data ? chosenOf(market.data.middle) : undefined);
  const stop =
    writtenStop ??
    (market.data
      ? {
          trailing: false,
          level: chosenOf(market.data.cross),
          distance: '0.50',
          watch: 'mark' as const,
          then: 'market' as const,
        }
      : undefined);
  const limited = kind === 'limit' || (kind === 'stop' && stop?.then === 'limit');
  // A price that nobody wrote follows the market by its name, so that the question stays the same.
  const entry: Entry | undefined = !limited
    ? 'cross'
    : written === undefined
      ? 'middle'
      : valid
        ? { net: signed(written) }
        : undefined;
  const asked = entry === undefined ? null : { ...base, entry };
  const priced = useQuery(evaluationQuery(asked, 1_000));
  const place = useMutation({
    mutationFn: async () => {
      const body: PlaceRequest = {
        clientId: ticket.clientId,
        symbol: ticket.symbol,
        legs: unit,
        quantity,
        closes: ticket.closing?.campaign ?? null,
        rolls: rolling || ticket.becomes !== undefined,
        limit: limited && limit ? signed(limit) : null,
        trigger: kind === 'stop' && stop ? triggerOf(stop) : null,
        timeInForce: stand,
        goodTill: stand === 'goodTillDate' ? until : null,
        why,
        tags: tags.split(','),
      };
      const exits = exitsOf(attached, body);
      if (exits.length === 0) return must(await api.POST('/api/orders', { body }));
      const placed = must(
        await api.POST('/api/orders/linked', {
          body: {
            tie: exits.length === 2 ? 'bracket' : 'oneTriggersOther',
            orders: [body, ...exits],
          },
        }),
      );
      return placed[0];
    },
    onSuccess: (order) => {
      if (order) openOrder(order.id);
    },
  });
  const trouble = market.error ?? priced.error;
  // What is shown answers the ticket as it was before: nothing can be sent from it.
  const old =
    market.isPlaceholderData || priced.isPlaceholderData || (asked !== null && !priced.data);
  const slot = ticket.closing && ticket.becomes === undefined && (
    <>
      <Choices
        label="Close or roll"
        value={rolling ? 'roll' : 'close'}
        onChange={(v) => {
          setRolling(v === 'roll');
          setWritten(undefined);
          setReading(false);
        }}
        choices={[
          { value: 'close', label: 'close' },
          { value: 'roll', label: 'roll' },
        ]}
      />
      {rolling && (
        <RollChooser
          symbol={ticket.symbol}
          value={roll}
          onChange={(r) => {
            setRoll(r);
            setWritten(undefined);
          }}
          opens={rolled.data?.opens}
          error={rolled.error}
        />
      )}
    </>
  );
  if (rolling && !rolled.data)
    return (
      <div className="flex flex-col gap-3">
        <p className="font-serif text-[16px] leading-5">
          roll {ticket.closing?.name} on {ticket.symbol}
        </p>
        {slot}
      </div>
    );
  if (trouble && !market.data) return <Notice>{trouble.message}</Notice>;
  const e = priced.data ?? market.data;
  if (!market.data || !e || !limit || !stop)
    return <p className="text-ink2">Asking for the market</p>;
  const what =
    ticket.becomes !== undefined
      ? `rework ${ticket.closing?.name ?? ''} into ${ticket.becomes}`
      : rolling
        ? `roll ${ticket.closing?.name ?? ''} to ${rolled.data?.opens ?? ''}`
        : ticket.closing
          ? `close ${ticket.closing.name}`
          : `${e.name} ${e.strikes}`;
  const words =
    kind === 'market'
      ? `at the market, ${market.data.cross.amount} ${market.data.cross.side} now`
      : kind === 'stop'
        ? stopWords(stop, limit)
        : `at ${limit.amount} ${limit.side} or better`;
  const stands = stand === 'goodTillDate' ? `until ${until && dayMonth(until)}` : STANDS[stand];
  const picture = e.after && <AfterPicture after={e.after} spot={e.spot} />;
  const ready =
    (kind !== 'stop' || stopIsWritten(stop)) && (!limited || valid) && attachedIsWritten(attached);
  if (reading)
    return (
      <ReadBack
        evaluation={e}
        packages={quantity}
        words={`${quantity} × ${what} on ${ticket.symbol}, ${words}, ${stands}.${attachedWords(attached)}`}
        asIf={
          kind !== 'stop'
            ? ''
            : limited
              ? 'As if it traded at its limit now: '
              : 'As if it traded at the cross now: '
        }
        rolling={rolling || ticket.becomes !== undefined}
        order={JSON.stringify([legs, entry, kind, kind === 'stop' && stop])}
        hindered={old || !!trouble}
        trouble={trouble}
        refusal={place.error}
        placing={place.isPending}
        onBack={() => {
          setReading(false);
          place.reset();
        }}
        onPlace={() => {
          place.mutate();
        }}
      />
    );
  const sendable =
    ready && quantity > 0 && !old && !trouble && (stand !== 'goodTillDate' || until !== '');
  const readBack = () => {
    setWritten(limit);
    setStop(stop);
    setReading(true);
  };
  return (
    <form
      aria-busy={old}
      className="flex grow flex-col gap-2.5"
      onSubmit={(ev) => {
        ev.preventDefault();
        if (sendable) readBack();
      }}
    >
      <p className="font-serif text-[16px] leading-5" data-testid="ticket-name">
        {what} on {ticket.symbol}
      </p>
      <Legs evaluation={e} packages={Math.max(1, quantity)} />
      <div className="flex items-center gap-2">
        <label htmlFor="quantity" className="font-semibold">
          {e.legs.length > 1 ? 'Packages' : e.legs[0]?.expiry ? 'Contracts' : 'Quantity'}
        </label>
        <Button
          aria-label="one fewer"
          onClick={() => {
            setQuantity(String(Math.max(1, quantity - 1)));
          }}
        >
          −
        </Button>
        <input
          id="quantity"
          autoFocus
          inputMode="numeric"
          value={quantityText}
          onChange={(ev) => {
            setQuantity(ev.target.value.trim());
          }}
          className="num h-6 w-16 rounded border border-strong bg-ground px-2 font-semibold"
        />
        <Button
          aria-label="one more"
          onClick={() => {
            setQuantity(String(quantity + 1));
          }}
        >
          +
        </Button>
        {ticket.closing && ticket.becomes === undefined && (
          <span className="text-ink2">of {ticket.closing.held} held</span>
        )}
        {!ticket.closing && e.allowed != null && (
          <Button
            weight="quiet"
            disabled={e.allowed < 1}
            onClick={() => {
              setQuantity(String(e.allowed));
            }}
          >
            by my rule: {e.allowed}
          </Button>
        )}
      </div>
      {!ticket.closing && <RiskRule />}
      {slot}
      <Choices
        label="Order type"
        value={kind}
        onChange={setKind}
        choices={[
          { value: 'limit', label: 'limit' },
          { value: 'market', label: 'market' },
          { value: 'stop', label: 'stop' },
        ]}
      />
      <p className="-mt-2 text-[12px] text-ink2">{KIND_WORDS[kind]}</p>
      {kind === 'stop' && <StopChooser evaluation={market.data} value={stop} onChange={setStop} />}
      {limited && (
        <PriceChooser
          evaluation={market.data}
          value={limit}
          onChange={setWritten}
          chance={priced.data?.fillChance}
        />
      )}
      {limited && !valid && (
        <Notice>{`“${written.amount}” is not a price; write it like ${market.data.middle.amount}.`}</Notice>
      )}
      {quantity === 0 && (
        <Notice>{`“${quantityText}” is not a quantity; write a whole number above zero.`}</Notice>
      )}
      {trouble && <Notice>{trouble.message}</Notice>}
      <Choices
        label="Time in force"
        wrap
        value={stand}
        onChange={setStand}
        choices={[
          { value: 'day', label: 'day' },
          { value: 'goodTillCancelled', label: 'good till cancelled' },
          { value: 'goodTillDate', label: 'good till date' },
          { value: 'immediateOrCancel', label: 'immediate or cancel' },
          { value: 'fillOrKill', label: 'fill or kill' },
        ]}
      />
      <p className="-mt-2 text-[12px] text-ink2">{STAND_WORDS[stand]}</p>
      {stand === 'goodTillDate' && (
        <span className="flex items-center gap-2">
          last day
          <DateField label="Last day" value={until} onChange={setUntil} />
        </span>
      )}
      {attachable && (
        <AttachChooser evaluation={market.data} value={attached} onChange={setAttached} />
      )}
      <span className="flex gap-2">
        <input
          aria-label="Why"
          placeholder="why (optional)"
          value={why}
          onChange={(ev) => {
            setWhy(ev.target.value);
          }}
          className={`${line} grow`}
        />
        <input
          aria-label="Tags"
          placeholder="tags, so"
          value={tags}
          onChange={(ev) => {
            setTags(ev.target.value);
          }}
          className={`${line} w-24`}
        />
      </span>
      <MoneyTable evaluation={e} />
      <div className="sticky -bottom-4 -mx-4 mt-auto -mb-4 border-t border-strong bg-raised px-4 pt-1 pb-3">
        <div className={`flex flex-col gap-1 ${old ? 'old' : ''}`}>
          {picture ?? (
            <Picture
              name={what}
              prices={e.prices}
              outline={e.outline}
              today={e.today}
              spot={e.spot}
              height={72}
            />
          )}
          <Outcome evaluation={e} />
          <div
            className="max-h-[92px] overflow-y-auto"
            tabIndex={0}
            role="region"
            aria-label="What the checks say"
          >
            <Checks evaluation={e} folded />
          </div>
        </div>
        <div className="mt-1.5 flex items-center gap-2 text-[12px] text-ink2">
          <Button weight="strong" className="text-[13px]" type="submit" aria-disabled={!sendable}>
            Read back
          </Button>
          <MarginSheet request={asked ?? { ...base, entry: 'middle' }} name={what} weight="quiet" />
          <span className="ml-auto">market as of {shortWhen(market.data.at)}</span>
        </div>
      </div>
    </form>
  );
}
