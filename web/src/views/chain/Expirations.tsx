import { Popover } from 'radix-ui';
import { useState } from 'react';
import type { Mark } from '../../api/client';
import { fixed, percent } from '../../format';
import { Button } from '../../ui/controls';
import { Term } from '../../ui/terms';

const KINDS: { kind: Mark['cycle']; name: string }[] = [
  { kind: 'weekly', name: 'weekly' },
  { kind: 'monthly', name: 'monthly' },
  { kind: 'quarterly', name: 'quarterly' },
  { kind: 'long', name: 'long-dated' },
];
const th = 'px-2 text-right text-[12px] font-normal text-ink2';

type Props = {
  marks: Mark[];
  open: string[];
  onChoose: (key: string, under: boolean) => void;
};

/** Every expiration by its kind, those that the ribbon has no room to name too: one is shown alone,
 * or its rows open under the others. */
export function Expirations({ marks, open, onChoose }: Props) {
  const [listed, setListed] = useState(false);
  const kinds = KINDS.map((k) => ({ ...k, marks: marks.filter((m) => m.cycle === k.kind) }));
  return (
    <Popover.Root open={listed} onOpenChange={setListed}>
      <Popover.Trigger asChild>
        <Button>expirations ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label="All expirations"
          className="z-40 max-h-[var(--radix-popover-content-available-height)] overflow-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          <table>
            <thead>
              <tr>
                <th className={`${th} text-left`}>expiration</th>
                <th className={th}>days</th>
                <th className={th}>
                  <Term of="implied">IV %</Term>
                </th>
                <th className={th}>
                  <Term of="expectedMove">move ±</Term>
                </th>
                <th className={th}>
                  <span className="sr-only">under the rows</span>
                </th>
              </tr>
            </thead>
            {kinds
              .filter((k) => k.marks.length > 0)
              .map((k) => (
                <tbody key={k.kind}>
                  <tr>
                    <th scope="rowgroup" colSpan={5} className="px-2 pt-1 text-left font-semibold">
                      {k.name}
                    </th>
                  </tr>
                  {k.marks.map((m) => (
                    <tr key={m.key} className={open.includes(m.key) ? 'bg-brass-soft' : ''}>
                      <td>
                        <button
                          type="button"
                          aria-current={m.key === open[0]}
                          className="w-full rounded px-2 text-left font-semibold whitespace-nowrap hover:bg-brass-soft"
                          onClick={() => {
                            onChoose(m.key, false);
                            setListed(false);
                          }}
                        >
                          {m.label}
                          {m.amSettled ? ', at the opening' : ''}
                        </button>
                      </td>
                      <td className="num px-2">{m.days}</td>
                      <td className="num px-2">{percent(m.vol)}</td>
                      <td className="num px-2">{fixed(m.expectedMove, 2)}</td>
                      <td className="pl-2">
                        <Button
                          weight="quiet"
                          className="h-5!"
                          aria-pressed={open.includes(m.key)}
                          aria-label={`${m.label} under the rows`}
                          onClick={() => {
                            onChoose(m.key, true);
                          }}
                        >
                          {open.includes(m.key) ? 'shown' : 'under'}
                        </Button>
                      </td>
                    </tr>
                  ))}
                </tbody>
              ))}
          </table>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
