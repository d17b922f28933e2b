import type { Evaluation, PlaceRequest } from '../api/client';
import { Choices, Notice } from '../ui/controls';
import { chosenOf, isPrice, signed, type Chosen } from './PriceChooser';

/** What closes the position once it is there: at a profit, at a loss, or whichever comes first. Prices are of the closing package. */
export type Attached = { target?: Chosen; stop?: Chosen };

export const attachedIsWritten = (a: Attached) =>
  [a.target, a.stop].every((c) => c === undefined || isPrice(c.amount));
export function attachedWords(a: Attached): string {
  const target = a.target && `at ${a.target.amount} ${a.target.side} or better`;
  const stop =
    a.stop && `at the market when its middle stands at ${a.stop.amount} ${a.stop.side} or worse`;
  if (!target && !stop) return '';
  return ` Once filled it closes ${[target, stop].filter(Boolean).join(', or ')}${target && stop ? '; one cancels the other' : ''}.`;
}
/** The orders that close what `entry` opens. */
export function exitsOf(a: Attached, entry: PlaceRequest): PlaceRequest[] {
  const legs = entry.legs.map((l) => ({ ...l, quantity: -l.quantity }));
  const closing = (name: string): PlaceRequest => ({
    clientId: `${entry.clientId}-${name}`,
    symbol: entry.symbol,
    legs,
    quantity: entry.quantity,
    timeInForce: 'goodTillCancelled',
  });
  return [
    ...(a.target ? [{ ...closing('target'), limit: signed(a.target) }] : []),
    ...(a.stop
      ? [{ ...closing('stop'), trigger: { side: 'mark' as const, at: signed(a.stop) } }]
      : []),
  ];
}

const other = (c: Chosen): Chosen => ({ ...c, side: c.side === 'credit' ? 'debit' : 'credit' });

type Props = { evaluation: Evaluation; value: Attached; onChange: (a: Attached) => void };
/** A profit target and a stop that wait for the fill. */
export function AttachChooser({ evaluation: e, value, onChange }: Props) {
  const line = (key: 'target' | 'stop', name: string, note: string) => {
    const chosen = value[key];
    return (
      <div className="flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={chosen !== undefined}
            onChange={(ev) => {
              onChange({
                ...value,
                [key]: ev.target.checked ? other(chosenOf(e.middle)) : undefined,
              });
            }}
            className="accent-[var(--brass)]"
          />
          {name}
        </label>
        {chosen && (
          <>
            <input
              aria-label={`${name}, price of the close`}
              inputMode="decimal"
              value={chosen.amount}
              onChange={(ev) => {
                onChange({ ...value, [key]: { ...chosen, amount: ev.target.value.trim() } });
              }}
              className="num h-6 w-20 rounded border border-strong bg-ground px-2 font-semibold"
            />
            <Choices
              label={`${name}, debit or credit`}
              value={chosen.side}
              onChange={(side) => {
                onChange({ ...value, [key]: { ...chosen, side } });
              }}
              choices={[
                { value: 'credit', label: 'credit' },
                { value: 'debit', label: 'debit' },
              ]}
            />
            <span className="text-ink2">{note}</span>
            {!isPrice(chosen.amount) && (
              <Notice>{`“${chosen.amount}” is not a price; write it like ${e.middle.amount}.`}</Notice>
            )}
          </>
        )}
      </div>
    );
  };
  return (
    <fieldset className="flex flex-col gap-1">
      <legend className="mb-1 font-semibold">Once filled, close</legend>
      {line('target', 'at a target', 'or better')}
      {line('stop', 'at a stop', 'or worse, then at the market')}
    </fieldset>
  );
}
