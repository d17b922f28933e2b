import { Popover } from 'radix-ui';
import { useState } from 'react';
import { Button } from '../../ui/controls';
import { NumberField, readNumber, SelectField, Tick } from '../../ui/fields';
import { KeptNames } from '../../ui/KeptNames';
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
  const all = Object.entries(named);
  return (
    <KeptNames
      trigger="kept filters"
      label="Kept filters"
      kept={all.map(([name]) => ({ name, words: name }))}
      onOpen={(name) => {
        useWanted.setState({ ranges: named[name] ?? [] });
      }}
      onThrow={(name) => {
        useWanted.setState({ named: Object.fromEntries(all.filter(([k]) => k !== name)) });
      }}
      name="Name of the filter"
      most={40}
      keep="keep"
      keepable={ranges.length > 0}
      onKeep={(name) => {
        useWanted.setState({ named: { ...named, [name]: ranges } });
        return Promise.resolve();
      }}
    >
      {all.length === 0 && (
        <p className="text-ink2">Filters that you name stand here, on this machine.</p>
      )}
    </KeptNames>
  );
}

/** Which of the columns are wanted. */
export function ColumnChooser({ columns }: { columns: { key: string; name: string }[] }) {
  const hidden = useWanted((w) => w.hidden);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button weight="quiet">columns ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Columns"
          className="z-40 grid max-h-[70vh] grid-cols-2 gap-x-4 gap-y-1 overflow-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          {columns.map((c) => (
            <Tick
              key={c.key}
              name={c.name}
              on={!hidden.includes(c.key)}
              onChange={(on) => {
                useWanted.setState({
                  hidden: on ? hidden.filter((k) => k !== c.key) : [...hidden, c.key],
                });
              }}
            />
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
