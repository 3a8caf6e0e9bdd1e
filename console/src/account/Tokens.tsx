import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { RoleChoice } from './RoleChoice';
import { Told } from './Told';

const DAY = 86_400;
const LIVES: [string, number][] = [
  ['1 day', DAY],
  ['30 days', 30 * DAY],
  ['90 days', 90 * DAY],
  ['1 year', 365 * DAY],
];

/** The own sessions and tokens: where they were used last, and revoked at once. */
export function Tokens({ keeper, roles }: { keeper: boolean; roles: string[] }) {
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [chosen, setChosen] = useState<string[]>([]);
  const [life, setLife] = useState(90 * DAY);
  const [tug, setTug] = useState('');
  const [secret, setSecret] = useState('');
  const { data, error } = useQuery({ queryKey: ['tokens'], queryFn: () => answer(api.GET('/api/v1/tokens')) });
  const again = () => client.invalidateQueries({ queryKey: ['tokens'] });
  const make = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/tokens', { body: { name, roles: chosen.length === 0 || tug !== '' ? null : chosen, lifeSeconds: life, tug: tug === '' ? null : tug } })),
    onSuccess: async (made) => {
      setSecret(made.secret);
      setName('');
      setTug('');
      await again();
    },
  });
  const revoke = useMutation({
    mutationFn: (token: string) => answer(api.DELETE('/api/v1/tokens/{token}', { params: { path: { token } } })),
    onSuccess: again,
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Your sessions and tokens" note="the last one used first; what is revoked ends at once">
      <Rows
        heads={[
          ['Kind', 'left'],
          ['Name', 'left'],
          ['Roles', 'left'],
          ['Last used', 'left'],
          ['From', 'left'],
          ['Valid until', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((t) => ({
          key: t.id,
          cells: [
            t.kind,
            t.tug === null ? t.name : `${t.name} (tug ${t.tug})`,
            t.roles.join(', '),
            t.usedAt === null ? 'never' : moment(t.usedAt),
            t.usedFrom ?? '',
            t.expiresAt === null ? 'it is revoked' : moment(t.expiresAt),
            t.present ? (
              'this session'
            ) : (
              <Button key="r" size="small" onClick={() => revoke.mutate(t.id)} aria-label={`Revoke ${t.name === '' ? t.kind : t.name}`}>
                Revoke
              </Button>
            ),
          ],
        }))}
        none="No session and no token."
      />
      <Box
        component="form"
        autoComplete="off"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start', mt: 1.5 }}
      >
        <TextField size="small" label="What a token is for" value={name} onChange={(e) => setName(e.target.value)} />
        {tug === '' && <RoleChoice label="Roles (all)" roles={roles} value={chosen} onChange={setChosen} />}
        <TextField select size="small" label="Valid for" value={life} onChange={(e) => setLife(Number(e.target.value))} sx={{ minWidth: 110 }}>
          {LIVES.map(([text, seconds]) => (
            <MenuItem key={seconds} value={seconds}>
              {text}
            </MenuItem>
          ))}
        </TextField>
        {keeper && <TextField size="small" label="Only for the tug" value={tug} onChange={(e) => setTug(e.target.value)} />}
        <Button type="submit" variant="outlined" disabled={name.trim() === '' || make.isPending}>
          Make a token
        </Button>
      </Box>
      {secret !== '' && <Told what="The token's secret" secret={secret} onClose={() => setSecret('')} />}
      {make.error !== null && <Trouble error={make.error} />}
      {revoke.error !== null && <Trouble error={revoke.error} />}
    </Panel>
  );
}
