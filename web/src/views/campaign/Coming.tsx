import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api, type CampaignPage } from '../../api/client';
import { Button } from '../../ui/controls';

/** What is coming of a campaign by itself: exercise, assignment, settlement, its end. */
export function Coming({ page: p }: { page: CampaignPage }) {
  const client = useQueryClient();
  const say = useMutation({
    mutationFn: async (body: { contract: string; exercise: boolean }) => {
      const { error } = await api.PUT('/api/exercise', { body });
      if (error) throw new Error(error.message);
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['campaign'] }),
  });
  if (p.ahead.length === 0) return null;
  return (
    <section aria-label="What is coming" data-testid="coming">
      <h2 className="font-serif text-[16px]">What is coming</h2>
      <ul className="flex flex-col gap-0.5">
        {p.ahead.map((a) => (
          <li key={a.words} className={a.presses ? 'text-brass' : ''}>
            {a.presses && <span aria-hidden>◆ </span>}
            {a.words}{' '}
            {a.declined != null && a.contract && (
              <Button
                weight="quiet"
                disabled={say.isPending}
                onClick={() => {
                  say.mutate({ contract: a.contract ?? '', exercise: a.declined === true });
                }}
              >
                {a.declined ? 'exercise it after all' : 'let it expire'}
              </Button>
            )}
          </li>
        ))}
      </ul>
      {say.error && (
        <p role="alert" className="text-loss">
          {say.error.message}
        </p>
      )}
    </section>
  );
}
