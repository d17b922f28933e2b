import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { box, overlay, giveBack } from '../ui/dialog';
import { commands, GESTURES, keysOf } from '../ui/commands';
import { TERMS, termOf, type TermKey } from '../ui/terms';

type Props = { open: boolean; onOpenChange: (open: boolean) => void };

/** The keys and the words of the program, searched as one. */
export function Help({ open, onOpenChange }: Props) {
  const [text, setText] = useState('');
  const wanted = text.trim().toLowerCase();
  const has = (...words: string[]) => words.join(' ').toLowerCase().includes(wanted);
  const keys = [
    ...commands
      .filter(([, c]) => c.keys.length > 0)
      .map(([id, c]) => ({ key: keysOf(id), what: `${c.name}: ${c.what}`, where: c.where })),
    ...GESTURES.map(([key, what]) => ({ key, what, where: 'besides' })),
  ].filter((k) => has(k.key, k.what, k.where));
  const places = [...new Set(keys.map((k) => k.where))];
  const terms = (Object.keys(TERMS) as TermKey[])
    .map(termOf)
    .filter((t) => has(t.name, t.text))
    .sort((a, b) => a.name.localeCompare(b.name));
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          className={`${box} flex max-h-[80vh] w-[min(860px,94vw)] flex-col`}
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
        >
          <div className="flex items-baseline gap-4 pb-2">
            <Dialog.Title className="font-serif text-[18px]">Help</Dialog.Title>
            <input
              autoFocus
              aria-label="Find in the help"
              placeholder="a key or a word"
              value={text}
              onChange={(e) => {
                setText(e.target.value);
              }}
              className="h-7 w-64 rounded border border-strong bg-ground px-2 placeholder:text-ink2"
            />
            <Dialog.Close className="ml-auto rounded px-2 font-semibold hover:bg-brass-soft">
              Close
            </Dialog.Close>
          </div>
          <div
            className="grid min-h-0 gap-6 overflow-auto md:grid-cols-[300px_1fr]"
            tabIndex={0}
            role="region"
            aria-label="Keys and words"
          >
            <section aria-label="Keys">
              {places.map((where) => (
                <div key={where} className="pb-3">
                  <h3 className="font-semibold">{where}</h3>
                  <dl className="grid grid-cols-[88px_1fr] gap-y-1">
                    {keys
                      .filter((k) => k.where === where)
                      .map((k) => [
                        <dt key={k.key} className="font-semibold text-brass">
                          {k.key}
                        </dt>,
                        <dd key={k.what}>{k.what}</dd>,
                      ])}
                  </dl>
                </div>
              ))}
              {keys.length === 0 && <p className="text-ink2">No key has that in it.</p>}
            </section>
            <section aria-label="Words">
              <h3 className="font-semibold">Words</h3>
              <dl className="grid grid-cols-[112px_1fr] gap-y-1">
                {terms.map((t) => [
                  <dt key={t.name} className="font-semibold">
                    {t.name}
                  </dt>,
                  <dd key={t.text}>
                    {t.text}
                    {t.unit && <span className="text-ink2"> ({t.unit})</span>}
                  </dd>,
                ])}
              </dl>
              {terms.length === 0 && <p className="text-ink2">No word has that in it.</p>}
            </section>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
