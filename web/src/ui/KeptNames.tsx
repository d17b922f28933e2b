import { Popover } from 'radix-ui';
import { useState, type ReactNode } from 'react';
import { Button } from './controls';

/** What is kept under names, in a popover: opened, thrown away, and kept under another name. */
export function KeptNames({
  trigger,
  label,
  children,
  kept,
  onOpen,
  onThrow,
  name: named,
  most,
  keep,
  keepable,
  onKeep,
}: {
  trigger: ReactNode;
  label: string;
  /** What stands above the names. */
  children?: ReactNode;
  /** Each with what its button says, and what stands beside it. */
  kept: { name: string; words: string; beside?: ReactNode }[];
  onOpen: (name: string) => void;
  onThrow: (name: string) => void;
  /** What the field of the name is called. */
  name: string;
  /** Longest name. */
  most: number;
  /** What the button says that keeps. */
  keep: string;
  keepable: boolean;
  /** Where it fails the name stays written. */
  onKeep: (name: string) => Promise<void>;
}) {
  const [name, setName] = useState('');
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button weight="quiet">{trigger} ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label={label}
          className="z-40 flex w-fit max-w-[min(480px,calc(100vw-16px))] min-w-80 flex-col gap-2 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          {children}
          {kept.map((k) => (
            <div key={k.name} className="flex items-center gap-2">
              <Button
                weight="quiet"
                className="min-w-0 grow !justify-start"
                onClick={() => {
                  onOpen(k.name);
                }}
              >
                <span className="truncate">{k.words}</span>
              </Button>
              {k.beside}
              <button
                type="button"
                aria-label={`throw away ${k.name}`}
                className="px-1 text-ink2 hover:text-loss"
                onClick={() => {
                  onThrow(k.name);
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
              if (name.trim() === '' || !keepable) return;
              onKeep(name.trim()).then(
                () => {
                  setName('');
                },
                () => undefined,
              );
            }}
          >
            <input
              aria-label={named}
              placeholder="a name"
              maxLength={most}
              value={name}
              onChange={(e) => {
                setName(e.target.value);
              }}
              className="h-6 min-w-0 grow rounded border border-strong bg-ground px-2"
            />
            <Button type="submit" disabled={name.trim() === '' || !keepable}>
              {keep}
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
