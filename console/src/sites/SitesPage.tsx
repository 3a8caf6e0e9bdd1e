import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useNavigate } from 'react-router';
import { answer, api, type Site } from '../api';
import { moment } from '../format';
import { Credentials } from './Credentials';
import { EstateFile } from './EstateFile';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status, type Tone } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { Nodes } from './Nodes';
import { Tugs } from './Tugs';
import { May } from '../parts/May';

const KINDS: [string, string, string][] = [
  ['standin', 'simulated platform', 'http://127.0.0.1:8700'],
  ['libvirt', 'hypervisor host', 'qemu+ssh://root@host/system'],
  ['ovf', 'folder of OVF packages', '/srv/exports'],
  ['servers', 'servers read over SSH', ''],
  ['agents', 'machines with agents', ''],
  ['csv', 'lists', ''],
];

const TONES: Record<string, Tone> = { ready: 'good', finding: 'bad', new: 'waiting' };

/** A site's state as its last check found it. */
export function SiteStatus({ site }: { site: Site }) {
  return <Status tone={TONES[site.status] ?? 'plain'}>{site.status === 'finding' ? `${site.findings.length} ${site.findings.length === 1 ? 'finding' : 'findings'}` : site.status === 'new' ? 'not checked' : site.status}</Status>;
}

function AddSite() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [site, setSite] = useState({ name: '', kind: 'standin', address: '', token: '' });
  const [chosen, setChosen] = useState<string[]>([]);
  const credentials = useQuery({ queryKey: ['credentials'], queryFn: () => answer(api.GET('/api/v1/credentials')) });
  const field = (name: keyof typeof site) => ({ size: 'small' as const, value: site[name], onChange: (e: { target: { value: string } }) => setSite({ ...site, [name]: e.target.value }) });
  const kind = KINDS.find(([k]) => k === site.kind);
  const addressed = kind?.[2] !== '';
  const add = useMutation({
    mutationFn: async () => {
      await answer(api.POST('/api/v1/sites', { body: { ...site, address: addressed ? site.address : '', token: site.token === '' ? null : site.token, credentials: site.kind === 'servers' ? chosen : [] } }));
      await answer(api.POST('/api/v1/sites/{site}/check', { params: { path: { site: site.name } } }));
    },
    onSuccess: async () => {
      await client.invalidateQueries();
      void navigate(`/sites/${site.name}`);
    },
  });
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
      sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'center' }}
    >
      <TextField label="Name" {...field('name')} />
      <TextField select label="Kind" sx={{ minWidth: 190 }} {...field('kind')}>
        {KINDS.map(([key, text]) => (
          <MenuItem key={key} value={key}>
            {text}
          </MenuItem>
        ))}
      </TextField>
      {addressed && <TextField label="Address" placeholder={kind?.[2]} sx={{ minWidth: 300 }} {...field('address')} />}
      {site.kind === 'servers' && (
        <TextField
          select
          label="Credentials, in their order"
          size="small"
          sx={{ minWidth: 240 }}
          value={chosen}
          slotProps={{ select: { multiple: true } }}
          onChange={(e) => setChosen(e.target.value as unknown as string[])}
          helperText={(credentials.data ?? []).some((c) => c.type !== 'token') ? undefined : 'Store one below first.'}
        >
          {(credentials.data ?? [])
            .filter((c) => c.type !== 'token')
            .map((c) => (
              <MenuItem key={c.id} value={c.name}>
                {c.name}
              </MenuItem>
            ))}
        </TextField>
      )}
      {site.kind === 'standin' && <TextField label="Token" type="password" autoComplete="off" {...field('token')} />}
      <Button type="submit" variant="contained" disabled={site.name === '' || (addressed && site.address === '') || add.isPending}>
        Add and check
      </Button>
      {add.error !== null && <Trouble error={add.error} />}
    </Box>
  );
}

/** All sites, and a new one. */
export function SitesPage() {
  const { data, error } = useQuery({ queryKey: ['sites'], queryFn: () => answer(api.GET('/api/v1/sites')) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      <Panel title="Sites" note="where machines run, and where they may run">
        <Rows
          heads={[
            ['Name', 'left'],
            ['Kind', 'left'],
            ['Platform', 'left'],
            ['Check', 'left'],
            ['Machines', 'right'],
            ['Last scan', 'left'],
            ['Address', 'left'],
          ]}
          rows={data.map((s) => ({
            key: s.id,
            cells: [
              <Link key="l" component={RouterLink} to={`/sites/${s.name}`}>
                {s.name}
              </Link>,
              s.kind,
              s.platform === null ? '' : `${s.platform} ${s.version ?? ''}`,
              <SiteStatus key="s" site={s} />,
              s.machines,
              s.scannedAt === null ? 'never' : moment(s.scannedAt),
              s.address,
            ],
          }))}
          none="No site yet. Add the one that your machines run at, check it, and scan it."
        />
      </Panel>
      <May roles="keeper"><Panel title="Add a site" note="a token is kept encrypted and never shown again">
        <AddSite />
      </Panel></May>
      <Credentials />
      <May roles="planner keeper">
        <EstateFile />
      </May>
      <Nodes />
      <Tugs />
    </Box>
  );
}
