import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import Link from '@mui/material/Link';
import Switch from '@mui/material/Switch';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import type { GridColDef } from '@mui/x-data-grid';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { answer, api, type Lane, type Placed } from '../api';
import { size } from '../format';
import { BigTable, ROWS } from '../parts/BigTable';
import { Findings } from '../parts/Findings';
import { useMay } from '../parts/May';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { useDecide } from './decide';

/** Where a disk goes. */
function goes(disk: Placed['disks'][number]) {
  if (!disk.copied) {
    return disk.carriedAs === '' ? 'left out' : `carried to ${disk.carriedAs}`;
  }
  const to = disk.to === '' ? 'not joined' : disk.to;
  return disk.key === '' ? to : `${to} under key ${disk.key}`;
}

const COLUMNS: GridColDef<Placed>[] = [
  { field: 'machine', headerName: 'Machine', flex: 1.3, minWidth: 150 },
  { field: 'wave', headerName: 'Wave', minWidth: 90, flex: 0.6 },
  { field: 'name', headerName: 'Name there', flex: 1.1, minWidth: 120, valueGetter: (_, m) => (m.name === m.machine ? '' : m.name) },
  { field: 'size', headerName: 'Size', width: 100 },
  { field: 'zone', headerName: 'Zone', width: 80 },
  { field: 'cards', headerName: 'Addresses there', flex: 1.4, minWidth: 170, valueGetter: (_, m) => m.cards.map((c) => (c.address === '' ? c.rule : c.kept ? c.address : `${c.address} (was ${c.formerAddress})`)).join(', ') },
  { field: 'disks', headerName: 'Classes', flex: 0.7, minWidth: 90, valueGetter: (_, m) => [...new Set(m.disks.map((d) => goes({ ...d, key: '' })))].join(', ') },
  {
    field: 'findings',
    headerName: 'In the way',
    flex: 0.8,
    minWidth: 120,
    renderCell: ({ row: m }) => {
      const blocks = m.findings.filter((f) => f.blocks).length;
      return blocks > 0 ? <Status tone="bad">{`${blocks} in the way`}</Status> : m.findings.length > 0 ? <Status tone="waiting">{`${m.findings.length} to note`}</Status> : <Status tone="good">nothing</Status>;
    },
  },
];

/** A card's address, to be changed in place; empty goes back to the rule that holds without it. */
function AddressCell({ lane, machine, card }: { lane: Lane; machine: Placed; card: Placed['cards'][number] }) {
  const own = card.ruleFrom === 'the card';
  const [text, setText] = useState(own ? card.rule : card.address);
  const decide = useDecide(lane);
  const changed = text.trim() !== (own ? card.rule : card.address);
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 1, alignItems: 'center' }}
      onSubmit={(e) => {
        e.preventDefault();
        decide.mutate([{ scope: 'card', of: machine.id, part: card.card, setting: 'address', value: text.trim() }]);
      }}
    >
      <TextField size="small" variant="standard" value={text} onChange={(e) => setText(e.target.value)} error={decide.error !== null} helperText={decide.error?.message} slotProps={{ htmlInput: { 'aria-label': `Address of card ${card.card} of ${machine.machine}` } }} />
      {changed && (
        <Button type="submit" size="small" disabled={decide.isPending}>
          {text.trim() === '' ? 'Unset' : 'Set'}
        </Button>
      )}
    </Box>
  );
}

/** Leaves a disk out of what is copied, or has it copied after all. */
function CopyCell({ lane, machine, disk }: { lane: Lane; machine: Placed; disk: Placed['disks'][number] }) {
  const decide = useDecide(lane);
  return (
    <>
      <Button
        size="small"
        disabled={decide.isPending}
        aria-label={`${disk.copied ? 'Leave out' : 'Copy'} disk ${disk.disk} of ${machine.machine}`}
        onClick={() => decide.mutate([{ scope: 'disk', of: machine.id, part: disk.disk, setting: 'copy', value: disk.copied ? 'off' : 'on' }])}
      >
        {disk.copied ? 'Leave out' : 'Copy'}
      </Button>
      {decide.error !== null && <Trouble error={decide.error} />}
    </>
  );
}

/** One machine's decisions, each with where it comes from. */
function Decided({ lane, placed }: { lane: Lane; placed: Placed }) {
  const plan = useMay('planner');
  return (
    <Panel title={placed.machine} note={<Link component={RouterLink} to={`/machines/${placed.id}`}>the machine</Link>} wide>
      <Box sx={{ display: 'grid', gap: 1.5 }}>
        <Findings findings={placed.findings} none="Nothing is in the way." />
        {placed.decided.length > 0 && (
          <Typography>
            {placed.decided.map((d) => `${d.setting} ${d.value} (${d.from})`).join('; ')}
          </Typography>
        )}
        <Rows
          heads={[
            ['Card', 'right'],
            ['Network', 'left'],
            ['Address', 'left'],
            ['Subnet', 'left'],
            ['Decided by', 'left'],
            ['Address there', 'left'],
            ['Rule', 'left'],
          ]}
          rows={placed.cards.map((c) => ({
            key: String(c.card),
            cells: [
              c.card,
              c.network,
              c.formerAddress,
              c.subnet === '' ? 'not joined' : c.subnet,
              c.subnetFrom,
              plan ? <AddressCell key={`${c.address} ${c.rule} ${c.ruleFrom}`} lane={lane} machine={placed} card={c} /> : c.address,
              `${c.rule} (${c.ruleFrom})`,
            ],
          }))}
          none="It has no card."
        />
        <Rows
          heads={[
            ['Disk', 'right'],
            ['Volume', 'left'],
            ['Size', 'right'],
            ['Role', 'left'],
            ['Storage', 'left'],
            ['Class', 'left'],
            ['Decided by', 'left'],
            ['', 'right'],
          ]}
          rows={placed.disks.map((d) => ({ key: String(d.disk), cells: [d.disk, d.volume, size(d.bytes), d.role, d.storage, goes(d), d.from, plan && (d.disk > 0 || !d.copied) ? <CopyCell key="c" lane={lane} machine={placed} disk={d} /> : ''] }))}
          none="It has no disk."
        />
      </Box>
    </Panel>
  );
}

/** Where each machine of a lane goes, and what is in its way; one is opened by its name. */
export function Plan({ lane }: { lane: Lane }) {
  const [search, setSearch] = useSearchParams();
  const filter = search.get('filter') ?? '';
  const found = search.get('found') === 'true';
  const page = Number(search.get('page') ?? '0') || 0;
  const open = search.get('machine');
  const [text, setText] = useState(filter);
  const ask = (change: Record<string, string>) => {
    const next = new URLSearchParams(search);
    Object.entries(change).forEach(([k, v]) => (v === '' ? next.delete(k) : next.set(k, v)));
    setSearch(next);
  };
  const { data, error, isPlaceholderData: former } = useQuery({
    queryKey: ['lanes', lane.id, 'plan', lane.revision, filter, found, page],
    queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/plan', { params: { path: { lane: lane.id }, query: { filter, found, page, size: ROWS } } })),
    placeholderData: keepPreviousData,
  });
  const columns = COLUMNS.map((c) =>
    c.field === 'machine'
      ? {
          ...c,
          renderCell: ({ row }: { row: Placed }) => (
            <Link component="button" onClick={() => ask({ machine: row.machine === open ? '' : row.machine })} sx={{ textAlign: 'left' }}>
              {row.machine}
            </Link>
          ),
        }
      : c,
  );
  const placed = data?.items.find((m) => m.machine === open);
  return (
    <>
      <Box
        component="form"
        sx={{ display: 'flex', gap: 1, alignItems: 'center', mb: 1 }}
        onSubmit={(e) => {
          e.preventDefault();
          ask({ filter: text.trim(), page: '' });
        }}
      >
        <TextField label="Filter" placeholder="label.app = lending" size="small" fullWidth value={text} onChange={(e) => setText(e.target.value)} />
        <Button type="submit" variant="outlined">
          Filter
        </Button>
        <FormControlLabel sx={{ whiteSpace: 'nowrap' }} control={<Switch size="small" checked={found} onChange={(e) => ask({ found: e.target.checked ? 'true' : '', page: '' })} />} label="Only with findings" />
      </Box>
      {error !== null && <Trouble error={error} />}
      {placed !== undefined && <Decided lane={lane} placed={placed} />}
      {data !== undefined && <BigTable name="Machines of the lane" columns={columns} data={data} id={(m) => m.id} sort="machine" page={page} onAsk={(change) => ask(change)} former={former} />}
    </>
  );
}
