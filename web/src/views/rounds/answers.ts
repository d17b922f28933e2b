import { useMutation, useQueryClient } from '@tanstack/react-query';
import { api, must, type DecisionRequest } from '../../api/client';

/** Sends an answer; what asked leaves the list once it is kept. */
export function useAnswer() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: DecisionRequest) =>
      must(await api.POST('/api/rounds/decisions', { body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['rounds'] }),
  });
}
export type Answer = ReturnType<typeof useAnswer>;

/** Until when something is let be. */
export type Until = Extract<DecisionRequest['answer'], { as: 'letBe' }>['until'];
