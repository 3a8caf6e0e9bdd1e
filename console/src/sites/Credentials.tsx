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
import { May } from '../parts/May';

const NEW = { name: '', type: 'key', account: '', secret: '', destinations: '' };

const parted = (text: string) => text.split(/[\s,]+/).filter((part) => part !== '');

/** Secrets by name: stored, replaced in place, never shown again. */
export function Credentials() {
  const client = useQueryClient();
  const [made, setMade] = useState(NEW);
  const { data, error } = useQuery({ queryKey: ['credentials'], queryFn: () => answer(api.GET('/api/v1/credentials')) });
  const done = async () => {
    setMade(NEW);
    await client.invalidateQueries();
  };
  const known = data?.find((c) => c.name === made.name);
  const store = useMutation({
    mutationFn: () => 
      known === undefined
        ? answer(
            api.POST('/api/v1/credentials', {
              body: { ...made, account: made.type === 'token' ? '' : made.account, destinations: parted(made.destinations) },
            }),
          )
        : answer(
            api.PUT('/api/v1/credentials/{credential}', {
              params: { path: { credential: known.id } },
              body: { secret: made.secret, destinations: made.destinations === '' ? undefined : parted(made.destinations) },
            }),
          ),
    onSuccess: done,
  });
  const take = useMutation({ mutationFn: (id: string) => answer(api.DELETE('/api/v1/credentials/{credential}', { params: { path: { credential: id } } })), onSuccess: done });
  const field = (name: keyof typeof NEW) => ({ size: 'small' as const, value: made[name], onChange: (e: { target: { value: string } }) => setMade({ ...made, [name]: e.target.value }) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Credentials" note="kept encrypted, never shown again, sent nowhere else than they are for; one may be used by many sites">
      <Rows
        heads={[
          ['Name', 'left'],
          ['Type', 'left'],
          ['Account', 'left'],
          ['May be sent to', 'left'],
          ['Used by', 'left'],
          ['Changed', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((c) => ({
          key: c.id,
          cells: [
            c.name,
            c.type,
            c.account,
            c.destinations.join(', ') || 'nobody',
            c.sites.join(', '),
            moment(c.changedAt),
            c.sites.length === 0 ? (
              <May key="r" roles="keeper"><Button size="small" onClick={() => take.mutate(c.id)}>
                Remove
              </Button></May>
            ) : (
              ''
            ),
          ],
        }))}
        none="No credential yet."
      />
      <May roles="keeper"><Box
        component="form"
        autoComplete="off"
        onSubmit={(e) => {
          e.preventDefault();
          store.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start', mt: 1.5 }}
      >
        <TextField label="Credential" {...field('name')} />
        {known === undefined && (
          <>
            <TextField select label="Type" sx={{ minWidth: 120 }} {...field('type')}>
              {['key', 'password', 'token'].map((t) => (
                <MenuItem key={t} value={t}>
                  {t}
                </MenuItem>
              ))}
            </TextField>
            {made.type !== 'token' && <TextField label="Account" {...field('account')} />}
          </>
        )}
        {(known?.type ?? made.type) === 'key' ? (
          <TextField label="Private key" multiline maxRows={3} sx={{ minWidth: 220 }} {...field('secret')} />
        ) : (
          <TextField label="Secret" type="password" autoComplete="new-password" {...field('secret')} />
        )}
        <TextField
          label="May be sent to"
          placeholder={known?.destinations.join(', ') ?? '10.20.0.0/16, *.branch.example'}
          sx={{ minWidth: 280 }}
          slotProps={{ inputLabel: { shrink: true } }}
          {...field('destinations')}
        />
        <Button type="submit" variant="outlined" disabled={made.name === '' || made.secret === '' || store.isPending}>
          {known === undefined ? 'Store' : 'Replace the secret'}
        </Button>
      </Box></May>
      {store.error !== null && <Trouble error={store.error} />}
      {take.error !== null && <Trouble error={take.error} />}
    </Panel>
  );
}
