import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { RoleChoice, ROLES } from './RoleChoice';
import { Told } from './Told';

/** All accounts: what each may do. A name that is there already changes what that account may do. */
export function Accounts() {
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [machines, setMachines] = useState('');
  const [roles, setRoles] = useState<string[]>(['reader']);
  const [removing, setRemoving] = useState('');
  const [told, setTold] = useState({ name: '', password: '' });
  const { data, error } = useQuery({ queryKey: ['accounts'], queryFn: () => answer(api.GET('/api/v1/accounts')) });
  const again = async () => {
    setName('');
    setMachines('');
    await client.invalidateQueries({ queryKey: ['accounts'] });
    await client.invalidateQueries({ queryKey: ['me'] });
  };
  const known = data?.find((a) => a.name === name.trim().toLowerCase());
  const store = useMutation({
    mutationFn: async () => {
      if (known === undefined) {
        const added = await answer(api.POST('/api/v1/accounts', { body: { name: name.trim(), roles, machines } }));
        setTold({ name: added.account.name, password: added.password ?? '' });
      } else {
        await answer(api.PUT('/api/v1/accounts/{account}', { params: { path: { account: known.name } }, body: { roles, machines } }));
      }
    },
    onSuccess: again,
  });
  const remove = useMutation({
    mutationFn: (account: string) => answer(api.DELETE('/api/v1/accounts/{account}', { params: { path: { account } } })),
    onSuccess: again,
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Accounts" note="an account may have several roles, and do what any of them may">
      <Rows
        heads={[
          ['Account', 'left'],
          ['Roles', 'left'],
          ['Machines', 'left'],
          ['Signs in by', 'left'],
          ['Sessions', 'right'],
          ['Tokens', 'right'],
          ['Last used', 'left'],
          ['Added', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((a) => ({
          key: a.name,
          cells: [
            a.name,
            a.roles.join(', '),
            a.machines === '' ? 'all' : a.machines,
            a.provider === '' ? 'password' : a.provider,
            a.sessions,
            a.tokens,
            a.seenAt === null ? 'never' : moment(a.seenAt),
            moment(a.createdAt),
            <Box key="b" sx={{ whiteSpace: 'nowrap' }}>
              <Button
                size="small"
                disabled={a.provider !== ''}
                onClick={() => {
                  setName(a.name);
                  setRoles(a.roles);
                  setMachines(a.machines);
                }}
                aria-label={`Change what ${a.name} may do`}
              >
                Change
              </Button>
              {removing === a.name ? (
                <Button size="small" color="error" onClick={() => remove.mutate(a.name)}>
                  Remove {a.name} and its tokens
                </Button>
              ) : (
                <Button size="small" onClick={() => setRemoving(a.name)} aria-label={`Remove ${a.name}`}>
                  Remove
                </Button>
              )}
            </Box>,
          ],
        }))}
        none="No account."
      />
      <Box
        component="form"
        autoComplete="off"
        onSubmit={(e) => {
          e.preventDefault();
          store.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start', mt: 1.5 }}
      >
        <TextField size="small" label="Account" value={name} onChange={(e) => setName(e.target.value)} />
        <RoleChoice label="Roles" roles={ROLES} value={roles} onChange={setRoles} />
        <TextField
          size="small"
          label="Only machines of"
          placeholder="label.app = lending"
          helperText={roles.includes('keeper') ? 'a keeper has all machines' : 'a filter; all machines if empty'}
          value={machines}
          onChange={(e) => setMachines(e.target.value)}
          sx={{ minWidth: 260 }}
        />
        <Button type="submit" variant="outlined" disabled={name.trim() === '' || roles.length === 0 || store.isPending}>
          {known === undefined ? 'Add the account' : 'Change what it may do'}
        </Button>
      </Box>
      {told.password !== '' && <Told what={`The password of ${told.name}`} secret={told.password} onClose={() => setTold({ name: '', password: '' })} />}
      {store.error !== null && <Trouble error={store.error} />}
      {remove.error !== null && <Trouble error={remove.error} />}
    </Panel>
  );
}
