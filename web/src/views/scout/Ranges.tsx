import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Button } from '../../ui/controls';
import { NumberField, readNumber, SelectField } from '../../ui/fields';
import { FIGURES, useWanted, withRange, type Figure } from './wanted';

/** A range on one figure. */
export function AddRange() {
  const [figure, setFigure] = useState<Figure>('rank');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [a, b] = [readNumber(from), readNumber(to)];
  const none = (a == null && b == null) || a === null || b === null;
  return (
    <form
      className="flex items-center gap-1.5 text-ink2"
      onSubmit={(e) => {
        e.preventDefault();
        if (none) return;
        useWanted.setState((w) => ({ ranges: withRange(w.ranges, { figure, from: a, to: b }) }));
        setFrom('');
        setTo('');
      }}
    >
      only where
      <SelectField
        label="Figure"
        value={figure}
        onChange={setFigure}
        choices={Object.entries(FIGURES).map(([key, f]) => ({
          value: key as Figure,
          name: f.name,
        }))}
      />
      <NumberField label="At least" name="from" value={from} onChange={setFrom} />
      <NumberField label="At most" name="to" value={to} onChange={setTo} />
      <Button type="submit" disabled={none}>
        filter
      </Button>
    </form>
  );
}

/** Filters kept under names. */
export function Named() {
  const { named, ranges } = useWanted();
  const [name, setName] = useState('');
  const all = Object.entries(named);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button weight="quiet">kept filters ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Kept filters"
          className="z-40 flex w-72 flex-col gap-2 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          {all.length === 0 && (
            <p className="text-ink2">Filters that you name stand here, on this machine.</p>
          )}
          {all.map(([key, kept]) => (
            <div key={key} className="flex items-center gap-2">
              <Button
                weight="quiet"
                className="grow !justify-start"
                onClick={() => {
                  useWanted.setState({ ranges: kept });
                }}
              >
                {key}
              </Button>
              <button
                type="button"
                aria-label={`throw away ${key}`}
                className="px-1 text-ink2 hover:text-loss"
                onClick={() => {
                  useWanted.setState({
                    named: Object.fromEntries(all.filter(([k]) => k !== key)),
                  });
                }}
              >
                ×
              </button>
            </div>
          ))}
          <form
            className="flex items-center gap-2 border-t border-hair pt-2"
            onSubmit={(e) => {
              e.preventDefault();
              useWanted.setState({ named: { ...named, [name.trim()]: ranges } });
              setName('');
            }}
          >
            <input
              aria-label="Name of the filter"
              placeholder="a name"
              maxLength={40}
              value={name}
              onChange={(e) => {
                setName(e.target.value);
              }}
              className="h-6 min-w-0 grow rounded border border-strong bg-ground px-2"
            />
            <Button type="submit" disabled={name.trim() === '' || ranges.length === 0}>
              keep
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
