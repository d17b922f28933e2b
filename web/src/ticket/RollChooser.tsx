import { useQuery } from '@tanstack/react-query';
import { api, must, type Leg } from '../api/client';
import { Button, Notice } from '../ui/controls';
import { dayMonth } from '../format';

export type Roll = { expiry: string; strikes: number };
export type Rolled = { unit: Leg[]; opens: string };

/** The package that rolls a campaign so. */
export function useRoll(campaign: number | undefined, roll: Roll | undefined) {
  return useQuery({
    queryKey: ['roll', campaign, roll],
    enabled: campaign !== undefined && roll !== undefined,
    retry: false,
    queryFn: async (): Promise<Rolled> =>
      must(
        await api.GET('/api/positions/{campaign}/roll', {
          params: {
            path: { campaign: campaign ?? 0 },
            query: { expiry: roll?.expiry ?? '', strikes: roll?.strikes ?? 0 },
          },
        }),
      ),
  });
}

type Props = {
  symbol: string;
  value: Roll | undefined;
  onChange: (r: Roll) => void;
  opens: string | undefined;
  error: Error | null;
};
/** Where a position is rolled to: another expiration, and strikes moved along the list. */
export function RollChooser({ symbol, value, onChange, opens, error }: Props) {
  const chain = useQuery({
    queryKey: ['expirations', symbol],
    staleTime: 60_000,
    queryFn: async () =>
      must(await api.GET('/api/chain/{symbol}', { params: { path: { symbol }, query: {} } })),
  });
  const dates = [
    ...new Set((chain.data?.head.marks ?? []).map((m) => m.key.split(':')[1] ?? '')),
  ].filter(Boolean);
  const strikes = value?.strikes ?? 0;
  const step = (by: number) => {
    if (value) onChange({ ...value, strikes: strikes + by });
  };
  return (
    <fieldset className="flex flex-col gap-1.5">
      <legend className="mb-1 font-semibold">Close this and open the same</legend>
      <div className="flex items-center gap-2">
        <label htmlFor="roll-to">on</label>
        <select
          id="roll-to"
          value={value?.expiry ?? ''}
          onChange={(e) => {
            onChange({ expiry: e.target.value, strikes });
          }}
          className="h-6 rounded border border-strong bg-ground px-1"
        >
          <option value="" disabled>
            choose an expiration
          </option>
          {dates.map((d) => (
            <option key={d} value={d}>
              {dayMonth(d)} {d.slice(0, 4)}
            </option>
          ))}
        </select>
        <span>strikes</span>
        <Button
          aria-label="roll one strike down"
          disabled={!value}
          onClick={() => {
            step(-1);
          }}
        >
          −
        </Button>
        <span className="num w-6 text-center">
          {strikes > 0 ? `+${strikes}` : String(strikes).replace('-', '−')}
        </span>
        <Button
          aria-label="roll one strike up"
          disabled={!value}
          onClick={() => {
            step(1);
          }}
        >
          +
        </Button>
      </div>
      {opens && <p className="text-ink2">opens {opens}</p>}
      {error && <Notice>{error.message}</Notice>}
    </fieldset>
  );
}
