import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Chip from '@mui/material/Chip';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { answer, api, type Machine } from '../api';
import { moment, size } from '../format';
import { Assessed } from '../assessments/Assessed';
import { Changes } from './Changes';
import { Panel } from '../parts/Panel';
import { Power } from './Power';
import { Rows } from '../parts/Rows';
import { Inside, Sources } from './Sources';
import { Talks } from './Talks';
import { Trouble } from '../parts/Trouble';
import { UsagePanel } from './UsagePanel';
import { May } from '../parts/May';

function Facts({ facts }: { facts: [string, ReactNode][] }) {
  return (
    <Box component="dl" sx={{ m: 0, display: 'grid', gridTemplateColumns: 'max-content 1fr', columnGap: 2, rowGap: 0.5 }}>
      {facts.map(([name, value]) => (
        <Box key={name} sx={{ display: 'contents' }}>
          <Box component="dt" sx={{ color: 'text.secondary' }}>
            {name}
          </Box>
          <Box component="dd" sx={{ m: 0 }}>
            {value}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** Labels of the platform, and those by hand, which can be given and taken away here. */
function Labels({ machine }: { machine: Machine }) {
  const client = useQueryClient();
  const [text, setText] = useState('');
  const edit = useMutation({
    mutationFn: (change: { set?: Record<string, string>; remove?: string[] }) => answer(api.POST('/api/v1/machines/labels', { body: { machines: [machine.id], ...change } })),
    onSuccess: async () => {
      setText('');
      await client.invalidateQueries();
    },
  });
  const split = text.indexOf('=');
  return (
    <>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', mb: 1 }}>
        {Object.entries(machine.labels).map(([name, value]) =>
          machine.ownLabels.includes(name) ? (
            <Chip key={name} label={`${name}=${value}, by hand`} onDelete={() => edit.mutate({ remove: [name] })} />
          ) : (
            <Chip key={name} variant="outlined" label={`${name}=${value}${machine.ruledLabels.includes(name) ? ', by a rule' : ''}`} />
          ),
        )}
        {Object.keys(machine.labels).length === 0 && <Typography color="text.secondary">No labels.</Typography>}
      </Box>
      <May roles="planner"><Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          edit.mutate({ set: { [text.slice(0, split).trim()]: text.slice(split + 1).trim() } });
        }}
        sx={{ display: 'flex', gap: 1 }}
      >
        <TextField label="New label" placeholder="app=lending" size="small" value={text} onChange={(e) => setText(e.target.value)} />
        <Button type="submit" disabled={split < 1 || edit.isPending}>
          Give
        </Button>
      </Box></May>
      {edit.error !== null && <Trouble error={edit.error} />}
    </>
  );
}

/** One machine: what its platform and its guest told of it, and when. */
export function MachinePage() {
  const { machine: ref = '' } = useParams();
  const { data: m, error } = useQuery({ queryKey: ['machine', ref], queryFn: () => answer(api.GET('/api/v1/machines/{machine}', { params: { path: { machine: ref } } })), retry: false });
  if (m === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
      <Panel title={m.name} note={<Power machine={m} />}>
        <Facts
          facts={[
            ['Site', m.site],
            ['Known there as', m.platformId],
            ['Id', m.id],
            ['System', m.os === '' ? 'not told' : m.os],
            ['Size', `${m.cpus} processors, ${size(m.memoryMib * 1024 * 1024)}`],
            ['Boot mode', m.firmware === '' ? 'not told' : m.firmware],
            [
              'Wave',
              m.wave === '' ? (
                'in none'
              ) : (
                <Link key="wave" component={RouterLink} to={`/waves/${m.wave}`}>
                  {m.wave}
                </Link>
              ),
            ],
            ['First seen', moment(m.firstSeen)],
            ['Last seen', m.vanishedAt === null ? moment(m.lastSeen) : `${moment(m.lastSeen)}, missing since the scan of ${moment(m.vanishedAt)}`],
          ]}
        />
      </Panel>
      <Panel title="Labels" note="labels by hand come before the platform's">
        <Labels machine={m} />
      </Panel>
      <UsagePanel machine={m.id} />
      <Assessed machine={m.id} />
      <May><Talks machine={m} /></May>
      <Panel title="Disks" note={size(m.disks.reduce((sum, d) => sum + d.bytes, 0))}>
        <Rows
          heads={[
            ['Disk', 'left'],
            ['Size', 'right'],
            ['Storage', 'left'],
            ['Mounted at', 'left'],
          ]}
          rows={m.disks.map((d) => ({ key: d.volume, cells: [d.volume, size(d.bytes), d.storage, d.mounts.join(' ')] }))}
          none="No disks."
        />
      </Panel>
      <Panel title="Network cards">
        <Rows
          heads={[
            ['Network', 'left'],
            ['Address', 'left'],
            ['MAC', 'left'],
          ]}
          rows={m.nics.map((n, i) => ({ key: String(i), cells: [n.network, n.address === '' ? 'not told' : n.address, n.mac] }))}
          none="No network cards."
        />
      </Panel>
      <Sources machine={m} />
      <Inside machine={m} />
      <Panel title="Changes" note="what scans found different, newest first" wide>
        <Changes machine={m.id} />
      </Panel>
      <Panel title="Guest" note={m.guest === null ? '' : `read at ${moment(m.guest.readAt)}`} wide>
        {m.guest === null ? (
          <Typography color="text.secondary">Nothing was read from inside this machine: add it to a site of kind servers or agents.</Typography>
        ) : (
          <Box sx={{ display: 'grid', gap: 2, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
            <Facts
              facts={[
                ['Calls itself', m.guest.hostname],
                ['System', m.guest.os],
                ['Kernel', m.guest.kernel],
                ['Cards', m.guest.cards.map((c) => `${c.name} ${c.addresses.join(' ')}`).join('; ')],
              ]}
            />
            <Rows
              heads={[
                ['Mounted at', 'left'],
                ['Type', 'left'],
                ['Size', 'right'],
                ['Used', 'right'],
              ]}
              rows={m.guest.fileSystems.map((f) => ({ key: f.mount, cells: [f.mount, f.type, size(f.bytes), size(f.used)] }))}
              none="No file systems."
            />
          </Box>
        )}
      </Panel>
    </Box>
  );
}
