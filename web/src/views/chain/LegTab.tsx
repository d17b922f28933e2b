import { DropdownMenu } from 'radix-ui';
import { useRef, useState } from 'react';
import type { Leg } from '../../api/client';

/** What the menu of a leg does to it. */
export type LegActs = {
  /** One contract more of the same side, or fewer. */
  more: (contract: string, by: number) => void;
  /** So many listed strikes up. */
  strike: (contract: string, by: number) => void;
  /** So many expirations later. */
  later: (contract: string, by: number) => void;
  reverse: (contract: string) => void;
  /** A call becomes a put, a put a call. */
  swap: (contract: string) => void;
  remove: (contract: string) => void;
  drag: (contract: string, e: React.PointerEvent) => void;
};

const item = 'cursor-default rounded px-2 py-0.5 outline-none data-[highlighted]:bg-brass-soft';

/** A notched tab at its row: pointing at the strike from the side of its right. Dragged it moves to
 * another strike; pressed it opens what can be done with the leg. The menu is made only when it is opened: tabs
 * come and go with every nudge. */
export function LegTab({ leg, side, acts }: { leg: Leg; side: 'call' | 'put'; acts: LegActs }) {
  const [open, setOpen] = useState(false);
  const pressed = useRef<number | undefined>(undefined);
  const tab = useRef<HTMLButtonElement>(null);
  const bought = leg.quantity > 0;
  const notch =
    side === 'call'
      ? 'polygon(0 0, 88% 0, 100% 50%, 88% 100%, 0 100%)'
      : 'polygon(12% 0, 100% 0, 100% 100%, 12% 100%, 0 50%)';
  const { contract, quantity } = leg;
  const way = Math.sign(quantity);
  const size = Math.abs(quantity);
  const remove = () => {
    acts.remove(contract);
  };
  const by = (act: (contract: string, by: number) => void, n: number) => () => {
    act(contract, n);
  };
  const items: [string, () => void][] = [
    [`one more: ${size + 1}`, by(acts.more, way)],
    [size > 1 ? `one fewer: ${size - 1}` : 'one fewer: takes it out', by(acts.more, -way)],
    ['next higher strike', by(acts.strike, 1)],
    ['next lower strike', by(acts.strike, -1)],
    ['next later expiration', by(acts.later, 1)],
    ['next nearer expiration', by(acts.later, -1)],
    [
      bought ? 'sell instead' : 'buy instead',
      () => {
        acts.reverse(contract);
      },
    ],
    [
      side === 'call' ? 'a put instead' : 'a call instead',
      () => {
        acts.swap(contract);
      },
    ],
    ['remove', remove],
  ];
  return (
    <>
      <button
        ref={tab}
        type="button"
        data-leg={contract}
        aria-haspopup="menu"
        aria-expanded={open}
        onPointerDown={(e) => {
          // The menu opens when the tab is let go where it was taken; otherwise it was dragged.
          e.preventDefault();
          e.currentTarget.focus();
          pressed.current = e.clientY;
          acts.drag(contract, e);
        }}
        onPointerUp={(e) => {
          const from = pressed.current;
          pressed.current = undefined;
          if (from !== undefined && Math.abs(e.clientY - from) < 4) setOpen(true);
        }}
        onKeyDown={(e) => {
          if (e.key === 'Delete' || e.key === 'Backspace') remove();
          else if (['Enter', ' ', 'ArrowDown'].includes(e.key)) {
            e.preventDefault();
            setOpen(true);
          }
        }}
        aria-label={`${bought ? 'buy' : 'sell'} ${size} ${side}: what can be done with it; drag to another strike, Delete removes`}
        style={{ clipPath: notch }}
        className={`relative z-[1] h-[17px] w-full cursor-ns-resize touch-none text-[12px] leading-[17px] font-semibold ${bought ? 'bg-brass text-on-brass' : 'bg-sold text-on-sold'}`}
      >
        {bought ? 'buy' : 'sell'} {size}
      </button>
      {open && (
        <DropdownMenu.Root open onOpenChange={setOpen}>
          <DropdownMenu.Trigger asChild>
            <span aria-hidden className="pointer-events-none absolute inset-0" />
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content
              sideOffset={2}
              collisionPadding={8}
              aria-label="This leg"
              onCloseAutoFocus={(e) => {
                e.preventDefault();
                tab.current?.focus();
              }}
              className="z-50 rounded border border-strong bg-raised p-1 shadow-[var(--shadow)]"
            >
              {items.map(([words, act]) => (
                <DropdownMenu.Item key={words} className={item} onSelect={act}>
                  {words}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
    </>
  );
}
