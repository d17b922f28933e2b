import { Popover } from 'radix-ui';
import { Button, Choices } from '../../ui/controls';
import {
  COLUMNS,
  mostOf,
  move,
  showSides,
  told,
  toggle,
  useColumns,
  usual,
  type Sides,
} from './columns';
import { CYCLES, show, useLook, type Beside } from './look';
import type { Around } from './rows';

const panel =
  'z-40 max-h-[var(--radix-popover-content-available-height)] w-[380px] overflow-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]';

function Line({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div className="flex items-center justify-between gap-2">
      <span className="text-ink2">{name}</span>
      {children}
    </div>
  );
}

/** What is shown of each contract, nearest to the prices last. */
function Columns() {
  const { columns, sides } = useColumns();
  const most = mostOf(sides);
  const full = columns.length >= most;
  const rest = COLUMNS.filter((c) => !columns.includes(c.key));
  return (
    <div className="border-t border-hair pt-2">
      <p className="pb-1 text-ink2">
        Columns, from the outside to the prices{full ? ` · ${most} are all that fit` : ''}
      </p>
      <ul>
        {columns.map((key, i) => (
          <li key={key} className="flex items-center gap-1">
            <label className="flex grow items-center gap-2 py-0.5">
              <input
                type="checkbox"
                checked
                onChange={() => {
                  toggle(key);
                }}
                className="accent-[var(--brass)]"
              />
              {told(key)?.name}
            </label>
            <Button
              weight="quiet"
              className="!h-5 !px-1"
              disabled={i === 0}
              aria-label={`${told(key)?.name ?? key} farther from the prices`}
              onClick={() => {
                move(key, -1);
              }}
            >
              ↑
            </Button>
            <Button
              weight="quiet"
              className="!h-5 !px-1"
              disabled={i === columns.length - 1}
              aria-label={`${told(key)?.name ?? key} nearer to the prices`}
              onClick={() => {
                move(key, 1);
              }}
            >
              ↓
            </Button>
          </li>
        ))}
      </ul>
      <ul className="mt-1 grid max-h-44 grid-cols-2 gap-x-2 overflow-auto border-t border-hair pt-1">
        {rest.map((c) => (
          <li key={c.key}>
            <label className={`flex items-center gap-2 py-0.5 ${full ? 'text-ink2' : ''}`}>
              <input
                type="checkbox"
                checked={false}
                disabled={full}
                onChange={() => {
                  toggle(c.key);
                }}
                className="accent-[var(--brass)]"
              />
              {c.name}
            </label>
          </li>
        ))}
      </ul>
      <Button className="mt-2" onClick={usual}>
        as at first
      </Button>
    </div>
  );
}

/** What the chain shows: strikes and their order, sides, what stands beside the rows, expirations, columns. */
export function ShowChooser() {
  const { sides } = useColumns();
  const look = useLook();
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>show ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          className={panel}
          aria-label="What is shown"
        >
          <div className="flex flex-col gap-2">
            <Line name="strikes">
              <Choices<Around>
                label="Strikes shown"
                value={look.around}
                onChange={(around) => {
                  show({ around });
                }}
                choices={[
                  { value: 'fit', label: 'that fit' },
                  { value: '25', label: '±25' },
                  { value: 'sigma', label: '±2 σ' },
                  { value: 'all', label: 'all strikes' },
                ]}
              />
            </Line>
            <Line name="order">
              <Choices
                label="Order of strikes"
                value={look.rising ? 'rising' : 'falling'}
                onChange={(v) => {
                  show({ rising: v === 'rising' });
                }}
                choices={[
                  { value: 'falling', label: 'high to low' },
                  { value: 'rising', label: 'low to high' },
                ]}
              />
            </Line>
            <Line name="sides">
              <Choices<Sides>
                label="Sides shown"
                value={sides}
                onChange={showSides}
                choices={[
                  { value: 'calls', label: 'calls' },
                  { value: 'both', label: 'both' },
                  { value: 'puts', label: 'puts' },
                ]}
              />
            </Line>
            <Line name="beside the rows">
              <Choices<Beside>
                label="Beside the rows"
                value={look.beside}
                onChange={(beside) => {
                  show({ beside });
                }}
                choices={[
                  { value: 'nothing', label: 'nothing' },
                  { value: 'history', label: 'history' },
                  { value: 'smile', label: 'smile' },
                ]}
              />
            </Line>
            <Line name="under the ribbon">
              <Choices
                label="Under the ribbon"
                value={look.term ? 'term' : 'nothing'}
                onChange={(v) => {
                  show({ term: v === 'term' });
                }}
                choices={[
                  { value: 'nothing', label: 'nothing' },
                  { value: 'term', label: 'term structure' },
                ]}
              />
            </Line>
            <fieldset className="flex items-center justify-between gap-2">
              <legend className="float-left text-ink2">expirations</legend>
              <span className="flex gap-2">
                {CYCLES.map((c) => (
                  <label key={c} className="flex items-center gap-1">
                    <input
                      type="checkbox"
                      checked={!look.hidden.includes(c)}
                      onChange={() => {
                        show({
                          hidden: look.hidden.includes(c)
                            ? look.hidden.filter((x) => x !== c)
                            : [...look.hidden, c],
                        });
                      }}
                      className="accent-[var(--brass)]"
                    />
                    {c}
                  </label>
                ))}
              </span>
            </fieldset>
            <Columns />
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
