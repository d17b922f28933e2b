import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Button, Choices } from '../../ui/controls';
import { DateField } from '../../ui/DateField';
import { isPrice } from '../../ticket/PriceChooser';
import type { Until } from './answers';

type Kind = Until['kind'];

/** Lets a reason be: until it changes, a date or a price, with a note. */
export function LetBe({
  open,
  onOpenChange,
  onAnswer,
  about,
  priced,
  busy,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  onAnswer: (until: Until, note: string) => void;
  /** What is let be, for the name of the button. */
  about: string;
  /** It has a price: the account has none. */
  priced: boolean;
  busy: boolean;
}) {
  const [kind, setKind] = useState<Kind>('change');
  const [date, setDate] = useState('');
  const [side, setSide] = useState<'above' | 'below'>('above');
  const [level, setLevel] = useState('');
  const [note, setNote] = useState('');
  const until: Until | undefined =
    kind === 'change'
      ? { kind }
      : kind === 'date'
        ? date === ''
          ? undefined
          : { kind, date }
        : isPrice(level)
          ? { kind, side, level }
          : undefined;
  return (
    <Popover.Root open={open} onOpenChange={onOpenChange}>
      <Popover.Trigger asChild>
        <Button aria-label={`let it be: ${about}`}>let it be ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          data-modal
          aria-label="Let it be"
          className="z-40 w-[320px] rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          <form
            className="flex flex-col gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (until) onAnswer(until, note);
            }}
          >
            <div className="font-semibold">Let it be until</div>
            <Choices
              label="Until what"
              value={kind}
              onChange={setKind}
              choices={[
                { value: 'change', label: 'it changes' },
                { value: 'date', label: 'a date' },
                ...(priced ? [{ value: 'price' as const, label: 'a price' }] : []),
              ]}
            />
            {kind === 'date' && (
              <DateField label="Until which date" value={date} onChange={setDate} autoFocus />
            )}
            {kind === 'price' && (
              <div className="flex items-center gap-2">
                <Choices
                  label="Side of the price"
                  value={side}
                  onChange={setSide}
                  choices={[
                    { value: 'above', label: 'at or above' },
                    { value: 'below', label: 'at or below' },
                  ]}
                />
                <input
                  aria-label="Until which price"
                  inputMode="decimal"
                  value={level}
                  onChange={(e) => {
                    setLevel(e.target.value.trim());
                  }}
                  className="num h-6 w-20 rounded border border-strong bg-ground px-2 font-semibold"
                />
              </div>
            )}
            <label className="flex flex-col gap-1 text-ink2">
              note
              <textarea
                rows={2}
                maxLength={1000}
                value={note}
                onChange={(e) => {
                  setNote(e.target.value);
                }}
                className="rounded border border-strong bg-ground px-2 py-1 text-ink"
              />
            </label>
            <Button
              type="submit"
              weight="strong"
              className="self-start"
              disabled={busy || until === undefined}
            >
              Let it be
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
