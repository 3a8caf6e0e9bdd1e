import { useMutation, useQueryClient } from '@tanstack/react-query';
import { answer, api, type Lane, type RuleChange } from '../api';

/** Decides on a lane as it was read: whoever decided meanwhile is not overwritten. */
export function useDecide(lane: Lane) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (changes: Partial<RuleChange>[]) =>
      answer(
        api.PUT('/api/v1/lanes/{lane}/rules', {
          params: { path: { lane: lane.id } },
          headers: { 'If-Match': `"${lane.revision}"` },
          body: { changes: changes as RuleChange[] },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: ['lanes'] }),
  });
}
