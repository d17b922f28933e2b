import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must } from '../api/client';
import { rulesQuery } from '../api/queries';
import { Button, Notice } from '../ui/controls';

/** The trader's own limit on what one trade may lose. */
export function RiskRule() {
  const client = useQueryClient();
  const rules = useQuery(rulesQuery);
  const [text, setText] = useState<string>();
  const set = useMutation({
    mutationFn: async (riskPercent: number | null) => {
      must(await api.PUT('/api/rules', { body: { riskPercent } }));
    },
    onSuccess: async () => {
      setText(undefined);
      await Promise.all(
        ['rules', 'evaluation'].map((key) => client.invalidateQueries({ queryKey: [key] })),
      );
    },
  });
  const kept = rules.data?.riskPercent;
  const keep = () => {
    const t = (text ?? '').trim();
    set.mutate(t === '' ? null : Number(t));
  };
  // It stands inside the form of a ticket: Enter keeps the rule and sends nothing else.
  return (
    <div role="group" aria-label="My rule about risk" className="flex flex-wrap items-center gap-1">
      <label className="flex items-center gap-1 text-ink2">
        my rule: at most
        <input
          inputMode="decimal"
          value={text ?? (kept == null ? '' : String(kept))}
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
