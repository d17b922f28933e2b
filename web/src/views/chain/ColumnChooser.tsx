import { Popover } from 'radix-ui';
import { Button, Choices } from '../../ui/controls';
import { COLUMNS, mostOf, move, showSides, told, toggle, useColumns, usual, type Sides } from './columns';

const panel = 'z-40 w-72 rounded border border-strong bg-raised p-2 shadow-[var(--shadow)]';

/** What is shown of each contract, and of which side. */
export function ColumnChooser() {
  const { columns, sides } = useColumns();
  const most = mostOf(sides);
  const full = columns.length >= most;
  const rest = COLUMNS.filter((c) => !columns.includes(c.key));
  return (
    <>
      <Choices<Sides> label="Sides shown" value={sides} onChange={showSides} choices={[{ value: 'calls', label: 'calls' }, { value: 'both', label: 'both' }, { value: 'puts', label: 'puts' }]} />
      <Popover.Root>
        <Popover.Trigger asChild><Button>columns</Button></Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="start" sideOffset={4} collisionPadding={8} className={panel} aria-label="Columns">
            <p className="pb-1 text-ink2">Shown, from the outside to the prices{full ? ` · ${most} are all that fit` : ''}</p>
            <ul>
              {columns.map((key, i) => (
                <li key={key} className="flex items-center gap-1">
                  <label className="flex grow items-center gap-2 py-0.5"><input type="checkbox" checked onChange={() => { toggle(key); }} className="accent-[var(--brass)]" />{told(key)?.name}</label>
                  <Button weight="quiet" className="!h-5 !px-1" disabled={i === 0} aria-label={`${told(key)?.name ?? key} farther from the prices`} onClick={() => { move(key, -1); }}>↑</Button>
                  <Button weight="quiet" className="!h-5 !px-1" disabled={i === columns.length - 1} aria-label={`${told(key)?.name ?? key} nearer to the prices`} onClick={() => { move(key, 1); }}>↓</Button>
                </li>
              ))}
            </ul>
            <ul className="mt-1 max-h-56 overflow-auto border-t border-hair pt-1">
              {rest.map((c) => (
                <li key={c.key}><label className={`flex items-center gap-2 py-0.5 ${full ? 'text-ink2' : ''}`}><input type="checkbox" checked={false} disabled={full} onChange={() => { toggle(c.key); }} className="accent-[var(--brass)]" />{c.name}</label></li>
              ))}
            </ul>
            <Button className="mt-2" onClick={usual}>as at first</Button>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </>
  );
}
