import { Slider } from 'radix-ui';
import type { Evaluation, NetPrice } from '../api/client';
import { percent } from '../format';
import { Button, Choices } from '../ui/controls';

export type Side = 'debit' | 'credit';
export type Chosen = { amount: string; side: Side };
/** The signed limit of what is written; the sign is ours, never the trader's. */
export const signed = (c: Chosen) =>
  c.side === 'credit' && /[1-9]/.test(c.amount) ? `-${c.amount}` : c.amount;
export const chosenOf = (p: NetPrice): Chosen => ({
  amount: p.amount,
  side: p.side === 'credit' ? 'credit' : 'debit',
});

/** A decimal, or a whole number and a fraction as some markets write it: 12-4. */
export const isPrice = (text: string) => /^\d+([.-]\d+)?$/.test(text);

type Props = {
  evaluation: Evaluation;
  value: Chosen;
  onChange: (c: Chosen) => void;
  chance?: number | undefined;
};

/** Limit price: a slider on the package's tick from rest through middle to cross, or any price typed. */
export function PriceChooser({ evaluation: e, value, onChange, chance }: Props) {
  const at = e.ladder.findIndex(
    (p) =>
      (p.amount === value.amount || Number(p.amount) === Number(value.amount)) &&
      (p.side === value.side || p.side === 'even'),
  );
  const last = e.ladder.length - 1;
  // Against quotes that are stale or in doubt nothing is filled, whatever the limit.
  const waits = e.checks.some((c) => c.code === 'stale_quotes' || c.code === 'doubtful_quote');
  const filled = waits ? undefined : at < 0 ? chance : e.fillChances[at];
  const place = (name: string, p: NetPrice, align: string) => (
    <Button
      weight="quiet"
      className={`flex-col !h-auto !gap-0 leading-4 ${align}`}
      onClick={() => {
        onChange(chosenOf(p));
      }}
    >
      <span className="text-[12px] font-normal text-ink2">{name}</span>
      <span>{p.amount}</span>
    </Button>
  );
  return (
    <fieldset className="flex flex-col gap-1.5">
      <legend className="mb-1 font-semibold">Limit per package, on a tick of {e.tick}</legend>
      <Slider.Root
        min={0}
        max={Math.max(1, last)}
        step={1}
        value={[at < 0 ? e.ladderMiddle : at]}
        onValueChange={([i]) => {
          const p = e.ladder[i ?? 0];
          if (p) onChange(chosenOf(p));
        }}
        className="relative flex h-5 touch-none items-center select-none"
      >
        <Slider.Track className="relative h-[3px] grow rounded bg-strong" />
        <span
          aria-hidden
          className="absolute h-3 w-px bg-ink"
          style={{ left: `calc(8px + (100% - 16px) * ${e.ladderMiddle / Math.max(1, last)})` }}
        />
        <Slider.Thumb
          aria-label="Limit price, from rest to cross"
          aria-valuetext={`${value.amount} ${value.side}`}
          className={`block size-4 rounded-full border-2 border-raised ${at < 0 ? 'bg-strong' : 'bg-brass'}`}
        />
      </Slider.Root>
      <div className="flex justify-between">
        {place('rest', e.rest, 'items-start')}
        {place('middle', e.middle, 'items-center')}
        {place('cross', e.cross, 'items-end')}
      </div>
      <div className="flex items-center gap-2">
        <input
          aria-label="Limit price"
          inputMode="decimal"
          value={value.amount}
          onChange={(ev) => {
            onChange({ ...value, amount: ev.target.value.trim() });
          }}
          className="num h-7 w-24 rounded border border-strong bg-ground px-2 font-semibold"
        />
        <Choices
          label="Pay or receive"
          value={value.side}
          onChange={(side) => {
            onChange({ ...value, side });
          }}
          choices={[
            { value: 'credit', label: 'credit' },
            { value: 'debit', label: 'debit' },
          ]}
        />
        <span className="text-ink2">
          theoretical {e.theoretical.amount} {e.theoretical.side}
        </span>
      </div>
      {filled !== undefined && (
        <p className="text-ink2">
          <b className="text-ink tabular-nums" data-testid="fill-chance">
            {percent(filled, 0)} %
          </b>{' '}
          chance of a fill within five minutes, by this exchange’s own model if the market stays
        </p>
      )}
    </fieldset>
  );
}
