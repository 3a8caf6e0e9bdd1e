import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { answer, api, type Approval } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status, type Tone } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const TONES: Record<string, Tone> = { open: 'waiting', approved: 'good', declined: 'bad', lapsed: 'bad' };

const VERBS = ['cutover', 'failover', 'failback', 'undo', 'settle'];

/** The answer to one that is open. */
function Answer({ asked }: { asked: Approval }) {
  const client = useQueryClient();
  const [reason, setReason] = useState('');
  const done = { onSuccess: () => client.invalidateQueries() };
  const path = { params: { path: { approval: asked.id } } };
  const give = useMutation({ mutationFn: (approved: boolean) => answer(api.POST('/api/v1/approvals/{approval}/answer', { ...path, body: { approved, reason } })), ...done });
  const take = useMutation({ mutationFn: () => answer(api.DELETE('/api/v1/approvals/{approval}', path)), ...done });
  const error = give.error ?? take.error;
  return (
    <Box>
      <Box sx={{ display: 'flex', gap: 0.5, alignItems: 'center' }}>
        <May roles="approver" own><TextField label="Reason" size="small" value={reason} onChange={(e) => setReason(e.target.value)} sx={{ width: 150 }} /></May>
        <May roles="approver" own><Button size="small" disabled={give.isPending || asked.state === 'lapsed'} onClick={() => give.mutate(true)}>
          Approve
        </Button></May>
        <May roles="approver" own><Button size="small" disabled={give.isPending || reason.trim() === ''} onClick={() => give.mutate(false)}>
          Decline
        </Button></May>
        <May roles="planner mover" own><Button size="small" disabled={take.isPending} onClick={() => take.mutate()}>
          Withdraw
        </Button></May>
      </Box>
      {error !== null && <Trouble error={error} />}
    </Box>
  );
}

/** Who asked for what to be approved, and who answered; and asking. */
export function Approvals({ waves }: { waves: string[] }) {
  const client = useQueryClient();
  const [made, setMade] = useState({ wave: '', verb: 'cutover', note: '' });
  const { data, error } = useQuery({ queryKey: ['approvals'], queryFn: () => answer(api.GET('/api/v1/approvals')) });
  const ask = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/waves/{wave}/approvals', { params: { path: { wave: made.wave } }, body: { verb: made.verb, note: made.note } })),
    onSuccess: async () => {
      setMade({ ...made, note: '' });
      await client.invalidateQueries();
    },
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Approvals" note="of what was planned when it was asked for; nobody answers what they asked for">
      <Rows
        heads={[
          ['Wave', 'left'],
          ['For', 'left'],
          ['State', 'left'],
          ['Machines', 'left'],
          ['Asked', 'left'],
          ['Note', 'left'],
          ['Answer', 'left'],
        ]}
        rows={data.map((a) => ({
          key: a.id,
          cells: [
            <Link key="w" component={RouterLink} to={`/waves/${encodeURIComponent(a.wave)}`}>
              {a.wave}
            </Link>,
            a.verb,
            <Box key="s">
              <Status tone={TONES[a.state] ?? 'plain'}>{a.state}</Status>
              {a.changed.map((c) => (
                <div key={c}>{c}</div>
              ))}
            </Box>,
            a.machines.join(', '),
            `${a.askedBy}, ${moment(a.askedAt)}`,
            a.note,
            a.answeredBy === null ? <Answer key="a" asked={a} /> : `${a.answeredBy}, ${moment(a.answeredAt ?? a.askedAt)}${a.reason === '' ? '' : `: ${a.reason}`}`,
          ],
        }))}
        none="Nothing was asked for yet."
      />
      {waves.length > 0 && (
        <May roles="planner mover" own><Box
          component="form"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate();
          }}
          sx={{ display: 'flex', gap: 1, mt: 1.5, flexWrap: 'wrap' }}
        >
          <TextField select label="Wave" size="small" value={made.wave} onChange={(e) => setMade({ ...made, wave: e.target.value })} sx={{ minWidth: 140 }}>
            {waves.map((w) => (
              <MenuItem key={w} value={w}>
                {w}
              </MenuItem>
            ))}
          </TextField>
          <TextField select label="For" size="small" value={made.verb} onChange={(e) => setMade({ ...made, verb: e.target.value })} sx={{ minWidth: 120 }}>
            {VERBS.map((v) => (
              <MenuItem key={v} value={v}>
                {v}
              </MenuItem>
            ))}
          </TextField>
          <TextField label="Note" size="small" value={made.note} onChange={(e) => setMade({ ...made, note: e.target.value })} sx={{ minWidth: 300 }} />
          <Button type="submit" variant="outlined" disabled={made.wave === '' || ask.isPending}>
            Ask for approval
          </Button>
        </Box></May>
      )}
      {ask.error !== null && <Trouble error={ask.error} />}
    </Panel>
  );
}
