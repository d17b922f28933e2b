import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useState } from 'react';
import { api, must } from '../api/client';
import { lasts, useFeed } from '../api/feed';
import { shortWhen } from '../format';
import { Button, Notice } from '../ui/controls';
import { NumberField, readNumber } from '../ui/fields';

type Feed = NonNullable<ReturnType<typeof useFeed>>;

/** How the feed stands, in a few words. */
function inShort(f: Feed): string {
  if (!f.heard) return 'no feed yet';
  const silence = lasts(f.silence ?? 0);
  return f.silent ? `silent for ${silence}` : `came ${silence} ago`;
}

/** After how many seconds quotes are stale. */
function Limit({ after }: { after: number }) {
  const client = useQueryClient();
  const [text, setText] = useState(String(after));
  const seconds = readNumber(text);
  const set = useMutation({
    mutationFn: async (staleAfter: number) =>
      must(await api.POST('/api/feed', { body: { staleAfter } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['feed'] }),
  });
  const whole = seconds != null && Number.isInteger(seconds) && seconds >= 1 && seconds <= 86_400;
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (whole) set.mutate(seconds);
      }}
    >
      <NumberField
        label="quotes are stale after, in seconds"
        name="Quotes are stale after"
        value={text}
        onChange={setText}
        unit="s"
        wide="w-14"
        wrong={!whole}
      />
      <Button type="submit" disabled={!whole || seconds === after || set.isPending}>
        set
      </Button>
      {!whole && <span className="text-loss">write whole seconds, 1 to 86,400</span>}
      {set.error && <Notice>{set.error.message}</Notice>}
    </form>
  );
}

function Symbols({ feed }: { feed: Feed }) {
  return (
    <table className="w-full">
      <thead>
        <tr className="border-b border-strong text-left text-ink2">
          <th className="pr-3 font-semibold">symbol</th>
          <th className="pr-3 font-semibold">quotes of</th>
          <th className="num pr-3 font-semibold">old</th>
          <th className="font-semibold">filled against</th>
        </tr>
      </thead>
      <tbody>
        {feed.symbols.map((s) => (
          <tr key={s.symbol} className="border-b border-hair align-top">
            <th scope="row" className="pr-3 text-left font-semibold">
              {s.symbol}
            </th>
            <td className="pr-3 whitespace-nowrap tabular-nums">
              {s.at ? `${shortWhen(s.at)}${s.at.slice(16, 19)}` : 'none yet'}
            </td>
            <td className="num pr-3 whitespace-nowrap">{s.age != null && lasts(s.age)}</td>
            <td className={s.waits ? 'text-loss' : ''}>{s.waits ? `no: ${s.waits}` : 'yes'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What is not known, each thing once with those it is about. */
function Lacks({ feed }: { feed: Feed }) {
  const by = new Map<string, string[]>();
  for (const s of feed.symbols)
    for (const l of s.lacks) by.set(l, [...(by.get(l) ?? []), s.symbol]);
  if (by.size === 0) return null;
  return (
    <section>
      <h2 className="font-semibold">Not known</h2>
      <ul>
        {[...by].map(([what, symbols]) => (
          <li key={what}>
            <b>{symbols.length === feed.symbols.length ? 'all' : symbols.join(', ')}</b>: {what}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The feed of a market of one's own: how fresh it is, and all about it. */
export default function FeedStatus() {
  const feed = useFeed();
  if (!feed) return null;
  const bad = feed.silent;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button data-testid="feed" aria-label={`feed: ${inShort(feed)}`}>
          <span className={`tabular-nums ${bad ? 'text-loss' : ''}`}>feed: {inShort(feed)}</span>
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="The feed"
          className="z-50 flex max-h-[80vh] w-[30rem] max-w-[calc(100vw-16px)] flex-col gap-3 overflow-y-auto rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          <p>
            The clock stands at the newest moment that has come to{' '}
            <span className="break-words" title={feed.folder ?? undefined}>
              {feed.folder?.split(/[\\/]/).findLast((part) => part !== '')}
            </span>
            .{' '}
            {feed.silent &&
              'Nothing is filled and rules wait until something comes. The README tells how to feed it.'}
          </p>
          <Symbols feed={feed} />
          {feed.rulesWait > 0 && (
            <p className="text-loss">
              {feed.rulesWait === 1 ? '1 rule waits' : `${feed.rulesWait} rules wait`} for fresh
              quotes.
            </p>
          )}
          <Limit after={feed.staleAfter} />
          <Lacks feed={feed} />
          {feed.wrong.length > 0 && (
            <section>
              <h2 className="font-semibold">
                Wrong in its files when it was opened, and passed over
              </h2>
              <ul className="text-[12px] break-words">
                {feed.wrong.map((w) => (
                  <li key={w}>{w}</li>
                ))}
                {feed.wrongMore > 0 && <li>and {feed.wrongMore} more</li>}
              </ul>
            </section>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
