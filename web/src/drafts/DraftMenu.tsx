import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Dialog, DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import type { Draft } from '../api/client';
import { shelfQuery } from '../api/queries';
import { Button, Notice } from '../ui/controls';
import { box, overlay, giveBack } from '../ui/dialog';
import { draftOf, useDraftOf } from './answer';
import { change, put, useDrafts } from './store';
import { csvOf, linkOf, readDraft, setAside, takeOff } from './text';

const item =
  'flex cursor-pointer justify-between gap-6 rounded px-2 py-1 outline-none data-[highlighted]:bg-brass-soft data-[highlighted]:text-brass data-[disabled]:opacity-60';
const panel = 'z-50 min-w-56 rounded border border-strong bg-raised p-1 shadow-[var(--shadow)]';
const FULL = 'All four places of the tray are taken; throw one away first.';
/** Puts a copy into the tray, or says why not. */
function place(draft: Draft) {
  if (!put(draft)) throw new Error(FULL);
}

type Open = 'name' | 'shelf' | 'paste';

function Panel({
  title,
  onClose,
  children,
}: {
  title: string;
  onClose: () => void;
  children: React.ReactNode;
}) {
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          className={`${box} w-[440px]`}
        >
          <Dialog.Title className="mb-2 font-serif text-[16px]">{title}</Dialog.Title>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Naming({ draft, onClose }: { draft: Draft; onClose: () => void }) {
  const [name, setName] = useState(draft.name ?? '');
  const [note, setNote] = useState(draft.note ?? '');
  const keep = () => {
    change(draft.symbol, (d) => ({
      ...d,
      name: name.trim() || undefined,
      note: note.trim() || undefined,
    }));
    onClose();
  };
  return (
    <Panel title="Name and note" onClose={onClose}>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          keep();
        }}
      >
        <label className="flex flex-col gap-1">
          name
          <input
            autoFocus
            maxLength={60}
            value={name}
            onChange={(e) => {
              setName(e.target.value);
            }}
            className="h-7 rounded border border-strong bg-ground px-2 font-semibold"
          />
        </label>
        <label className="flex flex-col gap-1">
          note
          <textarea
            maxLength={2000}
            rows={5}
            value={note}
            onChange={(e) => {
              setNote(e.target.value);
            }}
            className="rounded border border-strong bg-ground px-2 py-1"
          />
        </label>
        <div className="flex gap-2">
          <Button weight="strong" type="submit">
            Keep
          </Button>
          <Button onClick={onClose}>Back</Button>
        </div>
      </form>
    </Panel>
  );
}

function Shelf({ draft, onClose }: { draft: Draft | undefined; onClose: () => void }) {
  const client = useQueryClient();
  const shelf = useQuery(shelfQuery);
  const [name, setName] = useState(draft?.name ?? '');
  const act = useMutation({
    mutationFn: async (f: () => Promise<void>) => {
      await f();
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['shelf'] }),
  });
  const kept = Object.entries(shelf.data ?? {});
  return (
    <Panel title="Shelf" onClose={onClose}>
      {draft && draft.legs.length > 0 && (
        <form
          className="mb-2 flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            act.mutate(() => setAside(name, { ...draft, name: name.trim() }));
          }}
        >
          <label className="flex grow flex-col gap-1">
            set this draft aside as
            <input
              autoFocus
              maxLength={60}
              required
              value={name}
              onChange={(e) => {
                setName(e.target.value);
              }}
              className="h-7 rounded border border-strong bg-ground px-2 font-semibold"
            />
          </label>
          <Button weight="strong" type="submit" className="!h-7" disabled={act.isPending}>
            Set aside
          </Button>
        </form>
      )}
      {act.error && <Notice>{act.error.message}</Notice>}
      <ul className="max-h-72 overflow-auto">
        {kept.map(([key, d]) => (
          <li key={key} className="flex items-center gap-2 border-t border-hair py-1">
            <b className="truncate">{key}</b>
            <span className="text-ink2">
              {d.symbol}, {d.legs.length} legs
            </span>
            <Button
              className="ml-auto"
              onClick={() => {
                act.mutate(() => {
                  place(d);
                  onClose();
                  return Promise.resolve();
                });
              }}
            >
              to the tray
            </Button>
            <Button
              weight="quiet"
              aria-label={`throw away ${key}`}
              onClick={() => {
                act.mutate(() => takeOff(key));
              }}
            >
              ×
            </Button>
          </li>
        ))}
        {kept.length === 0 && (
          <li className="text-ink2">
            Nothing is set aside yet. A draft that is set aside waits here under its name, also over
            a restart.
          </li>
        )}
      </ul>
    </Panel>
  );
}

function Paste({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState('');
  const read = useMutation({
    mutationFn: async () => {
      const { draft, expired } = await readDraft(text);
      place(draft);
      return expired;
    },
    onSuccess: (expired) => {
      if (expired.length === 0) onClose();
    },
  });
  return (
    <Panel title="Read a draft" onClose={onClose}>
      <form
        className="flex flex-col gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          read.mutate();
        }}
      >
        <label className="flex flex-col gap-1">
          A table of legs (contract,quantity,price) or a draft as JSON
          <textarea
            autoFocus
            rows={8}
            value={text}
            onChange={(e) => {
              setText(e.target.value);
            }}
            spellCheck={false}
            className="rounded border border-strong bg-ground px-2 py-1 text-[12px] tabular-nums"
            placeholder={'contract,quantity,price\nNMOU  310418C00195000,1,'}
          />
        </label>
        {read.error && <Notice>{read.error.message}</Notice>}
        {read.data && read.data.length > 0 && (
          <Notice>{`Expired since it was written: ${read.data.join('; ')}. The draft is in the tray.`}</Notice>
        )}
        <div className="flex gap-2">
          <Button weight="strong" type="submit" disabled={read.isPending || text.trim() === ''}>
            Read
          </Button>
          <Button onClick={onClose}>Back</Button>
        </div>
      </form>
    </Panel>
  );
}

function OpenPanel({ open, symbol, onClose }: { open: Open; symbol: string; onClose: () => void }) {
  const draft = useDraftOf(symbol);
  switch (open) {
    case 'name':
      return draft && <Naming draft={draft} onClose={onClose} />;
    case 'shelf':
      return <Shelf draft={draft} onClose={onClose} />;
    case 'paste':
      return <Paste onClose={onClose} />;
  }
}

/** What can be done with the draft on an underlying as a whole: name, copy, set aside, give away, read. */
export function DraftMenu({ symbol }: { symbol: string }) {
  const [open, setOpen] = useState<Open>();
  const [said, setSaid] = useState<string>();
  const empty = useDrafts((s) => !draftOf(s, symbol)?.legs.length);
  const now = () => draftOf(useDrafts.getState(), symbol);
  const say = (words: string) => {
    setSaid(words);
    setTimeout(() => {
      setSaid(undefined);
    }, 2_500);
  };
  const copy = (what: string, text: Promise<string>) => {
    text
      .then((t) => navigator.clipboard.writeText(t))
      .then(
        () => {
          say(`${what} copied`);
        },
        (e: unknown) => {
          say(e instanceof Error ? e.message : String(e));
        },
      );
  };
  const duplicate = () => {
    const draft = now();
    if (draft) {
      try {
        place(draft);
      } catch (e) {
        say(e instanceof Error ? e.message : String(e));
      }
    }
  };
  return (
    <>
      {said && (
        <span role="status" className="text-ink2">
          {said}
        </span>
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>draft ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={4} className={panel}>
            <DropdownMenu.Item
              className={item}
              disabled={empty}
              onSelect={() => {
                setOpen('name');
              }}
            >
              name and note
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} disabled={empty} onSelect={duplicate}>
              duplicate
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              onSelect={() => {
                setOpen('shelf');
              }}
            >
              shelf
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 border-t border-hair" />
            <DropdownMenu.Item
              className={item}
              disabled={empty}
              onSelect={() => {
                const draft = now();
                if (draft) copy('link', Promise.resolve(linkOf(draft)));
              }}
            >
              copy a link
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              disabled={empty}
              onSelect={() => {
                const draft = now();
                if (draft) copy('legs', csvOf(draft));
              }}
            >
              copy legs as CSV
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              disabled={empty}
              onSelect={() => {
                const draft = now();
                if (draft) copy('draft', Promise.resolve(JSON.stringify(draft, null, 2)));
              }}
            >
              copy as JSON
            </DropdownMenu.Item>
            <DropdownMenu.Item
              className={item}
              onSelect={() => {
                setOpen('paste');
              }}
            >
              read from text
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {open && (
        <OpenPanel
          open={open}
          symbol={symbol}
          onClose={() => {
            setOpen(undefined);
          }}
        />
      )}
    </>
  );
}
