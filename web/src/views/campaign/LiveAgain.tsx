import { useMutation } from '@tanstack/react-query';
import { RUN } from '../../api/base';
import { catalogue, must, type CampaignPage } from '../../api/client';
import { useLive } from '../../api/live';
import { Button, Notice } from '../../ui/controls';

/** Begins a rehearsal at the session in which a campaign of the account was opened. */
export function LiveAgain({ page: p }: { page: CampaignPage }) {
  const value = useLive((s) => s.masthead?.accountValue);
  const first = p.campaign.chapters[0];
  const begin = useMutation({
    mutationFn: async () => {
      if (!first) throw new Error('it was never opened');
      const taken = new Set(must(await catalogue.GET('/api/runs')).map((r) => r.name));
      const base = `${p.campaign.symbol.toLowerCase()}-again`;
      let name = base;
      for (let n = 2; taken.has(name); n += 1) name = `${base}-${n}`;
      return must(
        await catalogue.POST('/api/runs', {
          body: {
            name,
            at: first.at.slice(0, 10),
            money: value ?? '60000',
            symbol: p.campaign.symbol,
            rules: true,
            account: true,
            note: `campaign ${p.campaign.campaign} again: ${p.campaign.title}`,
          },
        }),
      );
    },
    onSuccess: (run) => {
      location.assign(`/runs/${run.name}/chain/${run.symbol ?? ''}`);
    },
  });
  if (RUN !== undefined) return null;
  return (
    <span className="flex flex-wrap items-center gap-2">
      <Button
        disabled={begin.isPending || !first}
        title="a rehearsal with paper money, from the opening of that session"
        onClick={() => {
          begin.mutate();
        }}
      >
        live this again from its opening
      </Button>
      {begin.error && <Notice>{begin.error.message}</Notice>}
    </span>
  );
}
