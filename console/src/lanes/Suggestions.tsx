import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { answer, api, type Lane, type Suggestion } from '../api';
import { May } from '../parts/May';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const named = (id: string, name: string) => (name === '' || name === id ? id : `${name} (${id})`);

/** Joins for what of a lane is joined to nothing, accepted one by one or all that are clear. */
export function Suggestions({ lane }: { lane: Lane }) {
  const client = useQueryClient();
  const params = { path: { lane: lane.id } };
  const { data, error } = useQuery({ queryKey: ['lanes', lane.id, 'suggestions', lane.revision], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/suggestions', { params })) });
  const accept = useMutation({
    mutationFn: (chosen: Suggestion[]) => {
      const joined = (kind: string) => Object.fromEntries(chosen.filter((s) => s.kind === kind).map((s) => [s.from, s.to]));
      return answer(
        api.PUT('/api/v1/lanes/{lane}', {
          params,
          headers: { 'If-Match': `"${lane.revision}"` },
          body: { networks: { ...lane.networks, ...joined('network') }, storages: { ...lane.storages, ...joined('storage') } },
        }),
      );
    },
    onSettled: () => client.invalidateQueries({ queryKey: ['lanes'] }),
  });
  if (error !== null) {
    return <Trouble error={error} />;
  }
  if (data === undefined || data.length === 0) {
    return null;
  }
  const clear = data.filter((s) => s.clear);
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mb: 0.5 }}>
        <Typography sx={{ fontWeight: 600 }}>Suggested joins</Typography>
        <May roles="planner">
          {clear.length > 1 && (
            <Button size="small" disabled={accept.isPending} onClick={() => accept.mutate(clear)}>
              Accept all {clear.length} that are clear
            </Button>
          )}
        </May>
      </Box>
      <Rows
        heads={[
          [`At ${lane.from}`, 'left'],
          [`At ${lane.to}`, 'left'],
          ['Why', 'left'],
          ['', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((s) => ({
          key: `${s.kind} ${s.from}`,
          cells: [
            named(s.from, s.fromName),
            named(s.to, s.toName),
            s.reasons.join('; '),
            <Status key="c" tone={s.clear ? 'good' : 'waiting'}>
              {s.clear ? 'clear' : s.others.length > 0 ? `or ${s.others[0]}` : 'to be chosen'}
            </Status>,
            <May key="a" roles="planner">
              <Button size="small" aria-label={`Accept ${s.to} for ${s.from}`} disabled={accept.isPending} onClick={() => accept.mutate([s])}>
                Accept
              </Button>
            </May>,
          ],
        }))}
        none=""
      />
      {accept.error !== null && <Trouble error={accept.error} />}
    </Box>
  );
}
