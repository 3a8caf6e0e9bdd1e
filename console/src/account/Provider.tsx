import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, ApiProblem, type Provider as Known } from '../api';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { RoleChoice, ROLES } from './RoleChoice';

const NOBODY = { group: '', roles: [] as string[], machines: '' };

/** A provider as it is being written; what is left empty of the secret and the authority stays, or is none. */
function Editor({ known, onDone }: { known: Known | undefined; onDone: () => void }) {
  const [made, setMade] = useState({
    name: known?.name ?? '',
    issuer: known?.issuer ?? '',
    client: known?.client ?? '',
    address: known?.address ?? window.location.origin,
    groupsClaim: known?.groupsClaim ?? 'groups',
    secret: '',
    authority: '',
  });
  const [groups, setGroups] = useState(known?.groups ?? [NOBODY]);
  const store = useMutation({
    mutationFn: () => {
      const { secret, authority, ...rest } = made;
      return answer(
        api.PUT('/api/v1/sign-in/provider', {
          body: { ...rest, scopes: known?.scopes ?? null, secret: secret === '' ? null : secret, authority: authority === '' ? null : authority, groups: groups.filter((g) => g.group.trim() !== '') },
        }),
      );
    },
    onSuccess: onDone,
  });
  const field = (name: keyof typeof made, label: string, width: number, more = {}) => (
    <TextField size="small" label={label} value={made[name]} onChange={(e) => setMade({ ...made, [name]: e.target.value })} sx={{ width }} {...more} />
  );
  const change = (i: number, part: Partial<typeof NOBODY>) => setGroups(groups.map((g, n) => (n === i ? { ...g, ...part } : g)));
  return (
    <Box
      component="form"
      autoComplete="off"
      aria-label="Identity provider"
      onSubmit={(e) => {
        e.preventDefault();
        store.mutate();
      }}
      sx={{ display: 'grid', gap: 1.5, mt: 1.5 }}
    >
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start' }}>
        {field('name', 'What people call it', 180)}
        {field('issuer', 'Its address (issuer)', 280, { placeholder: 'https://id.example' })}
        {field('client', "This service's id there", 180)}
        {field('secret', "This service's secret there", 220, { type: 'password', autoComplete: 'new-password', helperText: known?.secret === true ? 'left empty: as it is' : '' })}
        {field('address', 'Where browsers reach this service', 260)}
        {field('groupsClaim', 'Claim that tells groups', 180)}
        {field('authority', 'Who signed its certificate (PEM)', 300, { multiline: true, maxRows: 3, helperText: known?.authority === true ? 'left empty: as it is' : "left empty: this system's authorities" })}
      </Box>
      <Typography color="text.secondary">The first of these groups that somebody is in counts.</Typography>
      {groups.map((g, i) => (
        <Box key={i} sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
          <TextField size="small" label={`Group ${i + 1}`} value={g.group} onChange={(e) => change(i, { group: e.target.value })} />
          <RoleChoice label={`Roles of group ${i + 1}`} roles={ROLES} value={g.roles} onChange={(roles) => change(i, { roles })} />
          <TextField size="small" label={`Only machines of, for group ${i + 1}`} placeholder="label.app = lending" value={g.machines} onChange={(e) => change(i, { machines: e.target.value })} sx={{ minWidth: 260 }} slotProps={{ inputLabel: { shrink: true } }} />
        </Box>
      ))}
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={made.name === '' || made.issuer === '' || made.client === '' || store.isPending}>
          Sign people in through it
        </Button>
        <Button onClick={() => setGroups([...groups, NOBODY])}>Another group</Button>
        <Button onClick={onDone}>Leave it</Button>
      </Box>
      {store.error !== null && <Trouble error={store.error} />}
    </Box>
  );
}

/** The identity provider that people sign in through, and what its groups may do. */
export function Provider() {
  const client = useQueryClient();
  const [editing, setEditing] = useState(false);
  const [removing, setRemoving] = useState(false);
  const { data, error } = useQuery({ queryKey: ['provider'], queryFn: () => answer(api.GET('/api/v1/sign-in/provider')), retry: false });
  const done = async () => {
    setEditing(false);
    setRemoving(false);
    await client.resetQueries({ queryKey: ['provider'] });
    await client.invalidateQueries({ queryKey: ['accounts'] });
  };
  const remove = useMutation({ mutationFn: () => answer(api.DELETE('/api/v1/sign-in/provider')), onSuccess: done });
  const none = error instanceof ApiProblem && error.problem.code === 'provider-none';
  const known = none ? undefined : data;
  if (known === undefined && !none) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Sign-in through an identity provider" note="OpenID Connect; passwords go on to work">
      {known === undefined ? (
        <Typography color="text.secondary">People sign in with passwords only.</Typography>
      ) : (
        <>
          <Typography sx={{ mb: 1 }}>
            {known.name}, {known.issuer}, knows this service as {known.client}
            {known.secret && ', with a secret,'} and sends people back to {known.redirect}
          </Typography>
          <Rows
            heads={[
              ['Group', 'left'],
              ['Roles', 'left'],
              ['Machines', 'left'],
            ]}
            rows={known.groups.map((g) => ({ key: g.group, cells: [g.group, g.roles.join(', '), g.machines === '' ? 'all' : g.machines] }))}
            none="No group may do anything."
          />
        </>
      )}
      {editing ? (
        <Editor known={known} onDone={() => void done()} />
      ) : (
        <Box sx={{ display: 'flex', gap: 1, mt: 1 }}>
          <Button variant="outlined" onClick={() => setEditing(true)}>
            {known === undefined ? 'Give a provider' : 'Change the provider'}
          </Button>
          {known !== undefined &&
            (removing ? (
              <Button color="error" onClick={() => remove.mutate()}>
                End it, and the sessions and tokens of its people
              </Button>
            ) : (
              <Button onClick={() => setRemoving(true)}>End it</Button>
            ))}
        </Box>
      )}
      {remove.error !== null && <Trouble error={remove.error} />}
    </Panel>
  );
}
