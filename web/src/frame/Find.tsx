import { useQuery } from '@tanstack/react-query';
import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { marketsQuery } from '../api/queries';
import { actOf, commands, keysOf } from '../ui/commands';
import { box, overlay, giveBack } from '../ui/dialog';
import { kept } from '../ui/kept';

type Props = { open: boolean; onOpenChange: (open: boolean) => void };
type Found = { key: string; title: string; note: string; keys?: string; go: () => unknown };

/** What was gone to, newest first. */
const useRecent = kept<{ keys: string[] }>('found', { keys: [] });
const REMEMBERED = 12;

/** Goes to a symbol or a view, or gives a command, by typing. What was found before comes first. */
export function Find({ open, onOpenChange }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          className={`${box} w-[min(440px,94vw)]`}
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
        >
          <Dialog.Title className="mb-2 font-serif text-[16px]">Find</Dialog.Title>
          <List
            onDone={() => {
              onOpenChange(false);
            }}
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function List({ onDone }: { onDone: () => void }) {
  const markets = useQuery(marketsQuery);
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const recent = useRecent((s) => s.keys);
  const wanted = text.trim().toLowerCase();
  const age = ({ key }: Found) => (recent.includes(key) ? recent.indexOf(key) : recent.length);
  const all: Found[] = [
    ...(markets.data ?? []).map((m) => ({
      key: `symbol ${m.symbol}`,
      title: m.symbol,
      note: m.name,
      go: () => navigate(`/chain/${m.symbol}`),
    })),
    ...commands.flatMap(([id, c]) => {
      const go = id === 'find' ? undefined : actOf(id);
      return go ? [{ key: id, title: c.name, note: c.what, keys: keysOf(id), go }] : [];
    }),
  ];
  const found = all
    .filter((f) => `${f.title} ${f.note}`.toLowerCase().includes(wanted))
    .sort((a, b) => age(a) - age(b));
  return (
    <Command shouldFilter={false} label="Find" loop>
      <Command.Input
        autoFocus
        value={text}
        onValueChange={setText}
        aria-label="Symbol, view or command"
        placeholder="symbol, name, view or command"
        className="h-8 w-full rounded border border-strong bg-ground px-2 placeholder:text-ink2"
      />
      <Command.List className="mt-2 max-h-72 overflow-auto" label="Found">
        <Command.Empty className="px-2 py-1 text-ink2">
          {`Nothing is called “${text}”. Try NMOU, Book or undo.`}
        </Command.Empty>
        {found.map((f) => (
          <Command.Item
            key={f.key}
            value={f.key}
            onSelect={() => {
              useRecent.setState({
                keys: [f.key, ...recent.filter((k) => k !== f.key)].slice(0, REMEMBERED),
              });
              onDone();
              f.go();
            }}
            className="flex cursor-default gap-2 rounded px-2 py-1 aria-selected:bg-brass-soft"
          >
            <span className="w-28 shrink-0 font-semibold">{f.title}</span>
            <span className="min-w-0 grow truncate text-ink2">{f.note}</span>
            {f.keys && <kbd className="font-sans font-semibold text-brass">{f.keys}</kbd>}
          </Command.Item>
        ))}
      </Command.List>
    </Command>
  );
}
