import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Rule } from '../api/client';
import { rulesQuery } from '../api/queries';
import { Button, Notice } from '../ui/controls';

/** The rule about it, without its limit: the trader says that. */
const NEW: Rule = {
  scope: { for: 'all' },
  measure: 'trade_risk',
  side: 'above',
  limit: '',
  on: true,
};

/** The trader's own limit on what one trade may lose: one of his rules, at hand in the ticket. */
export function RiskRule() {
  const client = useQueryClient();
  const rules = useQuery(rulesQuery);
  const [text, setText] = useState<string>();
  const kept = rules.data?.rules.find(
    (r) => r.rule.measure === NEW.measure && r.rule.scope.for === 'all',
  );
  const set = useMutation({
    mutationFn: async (limit: string) => {
      const path = kept && { id: kept.id };
      const body = { ...(kept?.rule ?? NEW), limit };
      if (path && limit === '') must(await api.DELETE('/api/rules/{id}', { params: { path } }));
      else if (path) must(await api.PUT('/api/rules/{id}', { params: { path }, body }));
      else if (limit !== '') must(await api.POST('/api/rules', { body }));
    },
    onSuccess: async () => {
      setText(undefined);
      await Promise.all(
        ['rules', 'evaluation'].map((key) => client.invalidateQueries({ queryKey: [key] })),
      );
    },
  });
  const keep = () => {
    set.mutate((text ?? '').trim());
  };
  // It stands inside the form of a ticket: Enter keeps the rule and sends nothing else.
  return (
    <div role="group" aria-label="My rule about risk" className="flex flex-wrap items-center gap-1">
      <label className="flex items-center gap-1 text-ink2">
        my rule: at most
        <input
          inputMode="decimal"
          value={text ?? kept?.rule.limit ?? ''}
          onChange={(e) => {
            setText(e.target.value);
          }}
          onKeyDown={(e) => {
            if (e.key !== 'Enter') return;
            e.preventDefault();
            if (text !== undefined) keep();
          }}
          className="num h-6 w-12 rounded border border-strong bg-ground px-1 font-semibold text-ink"
        />
        % at risk
      </label>
      {text !== undefined && (
        <Button disabled={set.isPending} onClick={keep}>
          keep
        </Button>
      )}
      {set.error && <Notice>{set.error.message}</Notice>}
    </div>
  );
}
