import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { answer, api } from '../api';
import { moment } from '../format';
import { MachineLink } from '../machines/MachineLink';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status, type Tone } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const TONES: Record<string, Tone> = { reporting: 'good', silent: 'bad', refused: 'bad', waiting: 'bad' };

/** The agents of a site, and the line that installs one more. */
export function Agents({ site }: { site: string }) {
  const client = useQueryClient();
  const { data, error } = useQuery({ queryKey: ['agents', site], queryFn: () => answer(api.GET('/api/v1/sites/{site}/agents', { params: { path: { site } } })) });
  const key = useMutation({ mutationFn: () => answer(api.POST('/api/v1/sites/{site}/agents/keys', { params: { path: { site } }, body: { validSeconds: 3600 } })) });
  const approve = useMutation({ mutationFn: (id: string) => answer(api.POST('/api/v1/sites/{site}/agents/{agent}/approval', { params: { path: { site, agent: id } } })), onSuccess: () => client.invalidateQueries() });
  const take = useMutation({ mutationFn: (id: string) => answer(api.DELETE('/api/v1/sites/{site}/agents/{agent}', { params: { path: { site, agent: id } } })), onSuccess: () => client.invalidateQueries() });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Agents" note="one a machine, the silent ones first" wide>
      <Rows
        heads={[
          ['Machine', 'left'],
          ['State', 'left'],
          ['Agent', 'left'],
          ['Runs as', 'left'],
          ['Last report', 'left'],
          ['Surveyed', 'left'],
          ["Can't read, clock", 'left'],
          ['', 'right'],
        ]}
        rows={data.map((a) => ({
          key: a.id,
          cells: [
            a.machineId === '' ? a.machine : <MachineLink key="m" id={a.machineId} name={a.machine} />,
            <Status key="s" tone={TONES[a.state] ?? 'plain'}>
              {a.state}
            </Status>,
            `${a.id}, ${a.version === '' ? 'no report yet' : a.version}`,
            a.account,
            a.heardAt === null ? 'never' : moment(a.heardAt),
            a.surveyedAt === null ? 'never' : moment(a.surveyedAt),
            [a.unread.map((u) => u.slice(1, u.indexOf("'", 1))).join(', '), Math.abs(a.clockAheadSeconds) < 1 ? '' : `clock ${a.clockAheadSeconds.toFixed(0)} s ahead`, a.trouble].filter((x) => x !== '').join('; '),
            <May key="r" roles="keeper">
              {a.state === 'waiting' && (
                <Button size="small" onClick={() => approve.mutate(a.id)} aria-label={`Approve ${a.id}`}>
                  Approve
                </Button>
              )}
              <Button size="small" onClick={() => take.mutate(a.id)}>
              Remove
            </Button></May>,
          ],
        }))}
        none="No agent yet. Make a line, and paste it on the machine."
      />
      <Box sx={{ mt: 1.5 }}>
        <May roles="keeper"><Button variant="outlined" disabled={key.isPending} onClick={() => key.mutate()}>
          Line for a new agent
        </Button></May>
        {key.data !== undefined && (
          <Box sx={{ mt: 1 }}>
            Paste this on one machine before {moment(key.data.expiresAt)}, as root or as an ordinary account. It is good once and is not shown again.
            <Box component="pre" sx={{ my: 1, p: 1, border: 1, borderColor: 'divider', whiteSpace: 'pre-wrap', overflowWrap: 'anywhere', fontSize: '0.92em' }}>
              {key.data.line}
            </Box>
            <Button size="small" onClick={() => void navigator.clipboard.writeText(key.data.line)}>
              Copy
            </Button>
          </Box>
        )}
      </Box>
      {key.error !== null && <Trouble error={key.error} />}
      {approve.error !== null && <Trouble error={approve.error} />}
      {take.error !== null && <Trouble error={take.error} />}
    </Panel>
  );
}
