import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Rounds } from '../../api/client';
import { dayMonth } from '../../format';
import { money, tone } from '../../money';
import { Button, Notice } from '../../ui/controls';

/** A campaign that is over asks for a word: what is to be learned from it, or nothing. */
export function Afterword({ over }: { over: Rounds['over'][number] }) {
  const client = useQueryClient();
  const [words, setWords] = useState('');
  const say = useMutation({
    mutationFn: async (text: string) => {
      must(
        await api.PUT('/api/campaigns/{id}/afterword', {
          params: { path: { id: over.campaign } },
          body: { words: text, tags: [] },
        }),
      );
    },
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['rounds'] });
      await client.invalidateQueries({ queryKey: ['lessons'] });
    },
  });
  return (
    <form
      aria-label={`A word after ${over.title}`}
      className="mt-2 flex flex-wrap items-center gap-2 border-t border-hair pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (words.trim() !== '') say.mutate(words);
      }}
    >
      <span>
        <Link to={`/campaign/${over.campaign}`} className="font-semibold text-brass underline">
          {over.title}
        </Link>{' '}
        ended on {dayMonth(over.closed.slice(0, 10))} with{' '}
        <b className={tone(over.profit)}>{money(over.profit, true)}</b>:
      </span>
      <input
        aria-label={`what to learn from ${over.title}`}
        placeholder="a word afterwards"
        maxLength={1_000}
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
        }}
        className="h-6 min-w-40 grow rounded border border-strong bg-raised px-2"
      />
      <Button type="submit" disabled={say.isPending || words.trim() === ''}>
        keep it
      </Button>
      <Button
        weight="quiet"
        disabled={say.isPending}
        onClick={() => {
          say.mutate('');
        }}
      >
        nothing to say
      </Button>
      {say.error && <Notice>{say.error.message}</Notice>}
    </form>
  );
}
