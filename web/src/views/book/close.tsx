import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Position } from '../../api/client';
import { openTicket } from '../../ticket/open';
import { Button, Choices, Notice } from '../../ui/controls';

/** Opens the ticket that closes so many packages of a position, or rolls them. */
export function close(p: Position, quantity: number, rolling = false) {
  openTicket({
    symbol: p.symbol,
    unit: p.closing,
    quantity,
    rolling,
    closing: { campaign: p.campaign, name: `${p.name} ${p.strikes}`, held: p.packages },
  });
}

/** How many packages of which campaigns are to be closed. */
export type Picked = Record<number, number>;
/** Closes what is picked, each by an order of its own. */
export function CloseSeveral({
  positions,
  picked,
  done,
}: {
  positions: Position[];
  picked: Picked;
  done: () => void;
}) {
  const [at, setAt] = useState<'rest' | 'middle' | 'cross'>('middle');
  const [clientId, setClientId] = useState(() => crypto.randomUUID());
  const which = positions
    .filter((p) => picked[p.campaign] !== undefined)
    .map((p) => ({
      campaign: p.campaign,
      packages: Math.min(picked[p.campaign] ?? 0, p.packages),
    }));
  const legged = positions.filter((p) => picked[p.campaign] !== undefined && !p.oneOrder);
  const send = useMutation({
    mutationFn: async () =>
      must(await api.POST('/api/positions/close', { body: { clientId, positions: which, at } })),
    onSuccess: () => {
      setClientId(crypto.randomUUID());
      done();
    },
  });
  return (
    <div className="flex flex-wrap items-center gap-3 border-y border-brass bg-raised px-2 py-1.5">
      <b>
        Close{' '}
        {which
          .map((w) => {
            const p = positions.find((x) => x.campaign === w.campaign);
            return `${w.packages} × ${p?.symbol ?? ''} ${p?.name ?? ''}`;
          })
          .join(', ')}
      </b>
      {legged.length > 0 && (
        <span className="text-ink2">
          {legged.map((p) => p.name).join(', ')}: more than one order may send, so leg by leg
        </span>
      )}
      <span>at the</span>
      <Choices
        label="Price of the closing orders"
        value={at}
        onChange={setAt}
        choices={[
          { value: 'rest', label: 'rest' },
          { value: 'middle', label: 'middle' },
          { value: 'cross', label: 'cross' },
        ]}
      />
      <Button
        weight="strong"
        disabled={send.isPending || which.some((w) => w.packages < 1)}
        onClick={() => {
          send.mutate();
        }}
      >
        Place {which.length} closing order{which.length > 1 ? 's' : ''}
      </Button>
      <Button onClick={done}>Leave them</Button>
      {send.error && <Notice>{send.error.message}</Notice>}
    </div>
  );
}
