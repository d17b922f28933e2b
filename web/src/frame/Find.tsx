import { useQuery } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { marketsQuery } from '../api/queries';
import { box, overlay } from '../ui/dialog';
import { VIEWS } from './Spine';

type Props = { open: boolean; onOpenChange: (open: boolean) => void };

/** Goes to a symbol or a view by typing. */
export function Find({ open, onOpenChange }: Props) {
  const markets = useQuery(marketsQuery);
  const navigate = useNavigate();
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const [recent, setRecent] = useState<string[]>([]);
  const wanted = text.trim().toLowerCase();
  const age = (to: string) => (recent.includes(to) ? recent.indexOf(to) : recent.length);
  const places = [
    ...(markets.data ?? []).map((m) => ({
      to: `/chain/${m.symbol}`,
      title: m.symbol,
      note: m.name,
    })),
    ...VIEWS.map((v) => ({ to: v.path, title: v.name, note: 'view' })),
  ]
    .filter((p) => `${p.title} ${p.note}`.toLowerCase().includes(wanted))
    .sort((a, b) => age(a.to) - age(b.to));
  const chosen = Math.min(at, places.length - 1);
  const go = (to: string) => {
    setText('');
    setAt(0);
    setRecent((r) => [to, ...r.filter((x) => x !== to)]);
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
              const place = places[chosen];
              if (place) go(place.to);
            }}
          >
            <input
              autoFocus
              value={text}
              onChange={(e) => {
                setText(e.target.value);
                setAt(0);
              }}
              onKeyDown={(e) => {
                const by = e.key === 'ArrowDown' ? 1 : e.key === 'ArrowUp' ? -1 : 0;
                if (by === 0 || places.length === 0) return;
                e.preventDefault();
                setAt((chosen + by + places.length) % places.length);
              }}
              role="combobox"
              aria-expanded
              aria-controls="found-places"
              aria-activedescendant={places.length > 0 ? `place-${chosen}` : undefined}
              aria-label="Symbol or view"
              placeholder="symbol, name or view"
              className="h-8 w-full rounded border border-strong bg-ground px-2 placeholder:text-ink2"
            />
          </form>
          <ul
            id="found-places"
            role="listbox"
            aria-label="Places"
            className="mt-2 max-h-72 overflow-auto"
          >
            {places.map((p, i) => (
              <li
                key={p.to}
                id={`place-${i}`}
                role="option"
                aria-selected={i === chosen}
                ref={(li) => {
                  if (i === chosen) li?.scrollIntoView({ block: 'nearest' });
                }}
                onPointerDown={(e) => {
                  e.preventDefault();
                  go(p.to);
                }}
                className={`flex cursor-default gap-2 rounded px-2 py-1 hover:bg-brass-soft ${i === chosen ? 'bg-brass-soft' : ''}`}
              >
                <span className="w-16 font-semibold">{p.title}</span>
                <span className="text-ink2">{p.note}</span>
              </li>
            ))}
            {places.length === 0 && (
              <li
                role="option"
                aria-selected={false}
                className="px-2 py-1 text-ink2"
              >{`Nothing is called “${text}”. Try NMOU or Book.`}</li>
            )}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
