import { useQuery } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { marketsQuery } from '../api/queries';
import { box, overlay } from '../ui/dialog';
import { KEY_LIST } from '../ui/keys';
import { VIEWS } from './Spine';

type Props = { open: boolean; onOpenChange: (open: boolean) => void };

/** Goes to a symbol or a view by typing. */
export function Find({ open, onOpenChange }: Props) {
  const markets = useQuery(marketsQuery);
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const wanted = text.trim().toLowerCase();
  const places = [
    ...(markets.data ?? []).map((m) => ({
      to: `/chain/${m.symbol}`,
      title: m.symbol,
      note: m.name,
    })),
    ...VIEWS.map((v) => ({ to: v.path, title: v.name, note: 'view' })),
  ].filter((p) => `${p.title} ${p.note}`.toLowerCase().includes(wanted));
  const go = (to: string) => {
    setText('');
    onOpenChange(false);
    void navigate(to);
  };
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content data-modal className={`${box} w-96`} aria-describedby={undefined}>
          <Dialog.Title className="mb-2 font-serif text-[16px]">Find</Dialog.Title>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              const first = places[0];
              if (first) go(first.to);
            }}
          >
            <input
              autoFocus
              value={text}
              onChange={(e) => {
                setText(e.target.value);
              }}
              aria-label="Symbol or view"
              placeholder="symbol, name or view"
              className="h-8 w-full rounded border border-strong bg-ground px-2 placeholder:text-ink2"
            />
          </form>
          <ul className="mt-2 max-h-72 overflow-auto">
            {places.map((p) => (
              <li key={p.to}>
                <button
                  type="button"
                  onClick={() => {
                    go(p.to);
                  }}
                  className="flex w-full gap-2 rounded px-2 py-1 text-left hover:bg-brass-soft"
                >
                  <span className="w-16 font-semibold">{p.title}</span>
                  <span className="text-ink2">{p.note}</span>
                </button>
              </li>
            ))}
            {places.length === 0 && (
              <li className="px-2 py-1 text-ink2">{`Nothing is called “${text}”. Try NMOU or Book.`}</li>
            )}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

export function KeyList({ open, onOpenChange }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content data-modal className={`${box} w-96`} aria-describedby={undefined}>
          <Dialog.Title className="mb-2 font-serif text-[16px]">Keys</Dialog.Title>
          <dl className="grid grid-cols-[72px_1fr] gap-y-1">
            {KEY_LIST.map(([k, what]) => [
              <dt key={k} className="font-semibold text-brass">
                {k}
              </dt>,
              <dd key={what}>{what}</dd>,
            ])}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
