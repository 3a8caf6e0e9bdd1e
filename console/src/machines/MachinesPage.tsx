import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import type { GridColDef } from '@mui/x-data-grid';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { answer, api, ApiProblem, type Machine } from '../api';
import { csv, saved, size } from '../format';
import { LabelRules } from './LabelRules';
import { BigTable, ROWS } from '../parts/BigTable';
import { Panel } from '../parts/Panel';
import { Power } from './Power';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const COLUMNS: GridColDef<Machine>[] = [
  {
    field: 'name',
    headerName: 'Name',
    sortable: true,
    flex: 1.4,
    minWidth: 150,
    renderCell: ({ row: m }) => (
      <Link component={RouterLink} to={`/machines/${m.id}`}>
        {m.name}
      </Link>
    ),
  },
  { field: 'site', headerName: 'Site', flex: 0.8, minWidth: 90 },
  { field: 'power', headerName: 'Power', width: 80, renderCell: ({ row }) => <Power machine={row} /> },
  { field: 'os', headerName: 'System', sortable: true, flex: 1.2, minWidth: 150 },
  { field: 'cpus', headerName: 'CPUs', sortable: true, width: 70, align: 'right', headerAlign: 'right' },
  { field: 'memory', headerName: 'Memory', sortable: true, width: 90, align: 'right', headerAlign: 'right', valueGetter: (_, m) => size(m.memoryMib * 1024 * 1024) },
  {
    field: 'disk',
    headerName: 'Disks',
    sortable: true,
    width: 120,
    align: 'right',
    headerAlign: 'right',
    valueGetter: (_, m) => size(m.disks.reduce((sum, d) => sum + d.bytes, 0)) + (m.disks.length > 1 ? ` in ${m.disks.length}` : ''),
  },
  { field: 'address', headerName: 'Address', flex: 1, minWidth: 110, valueGetter: (_, m) => m.nics.map((n) => n.address).join(' ') },
  {
    field: 'labels',
    headerName: 'Labels',
    flex: 2.2,
    minWidth: 140,
    valueGetter: (_, m) =>
      Object.entries(m.labels)
        .map(([name, value]) => `${name}=${value}`)
        .join(', '),
  },
  {
    field: 'wave',
    headerName: 'Wave',
    minWidth: 90,
    renderCell: ({ row: m }) =>
      m.wave !== '' && (
        <Link component={RouterLink} to={`/waves/${m.wave}`}>
          {m.wave}
        </Link>
      ),
  },
];

/** The filter as it is being written; it is asked for on Enter, and a wrong one says where. */
function FilterBox({ filter, error, onAsk }: { filter: string; error: Error | null; onAsk: (filter: string) => void }) {
  const [text, setText] = useState(filter);
  const wrong = error instanceof ApiProblem && error.problem.code === 'filter-malformed' ? error.problem : null;
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        onAsk(text.trim());
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', mb: 1 }}
    >
      <TextField
        label="Filter"
        placeholder="label.app = lending and memory > 8GiB"
        size="small"
        fullWidth
        value={text}
        onChange={(e) => setText(e.target.value)}
        error={wrong !== null}
        helperText={wrong === null ? 'Fields: name, site, os, cpus, memory, disk, disks, address, network, firmware, wave, label.NAME; on, fenced, vanished' : `${wrong.detail}. Next: ${wrong.remedy.advice}`}
      />
      <Button type="submit" variant="outlined">
        Filter
      </Button>
      {filter !== '' && (
        <Button
          onClick={() => {
            setText('');
            onAsk('');
          }}
        >
          Clear
        </Button>
      )}
    </Box>
  );
}

const LARGEST = 500;

/** All that are chosen, as a file: a page of the service after the other. */
async function exported(filter: string, sort: string): Promise<void> {
  const machines: Machine[] = [];
  for (let page = 0; ; page++) {
    const part = await answer(api.GET('/api/v1/machines', { params: { query: { size: LARGEST, page, sort, filter } } }));
    machines.push(...part.items);
    if (part.items.length < LARGEST) {
      break;
    }
  }
  const names = [...new Set(machines.flatMap((m) => Object.keys(m.labels)))].sort();
  const text = csv([
    ['name', 'id', 'site', 'power', 'os', 'firmware', 'cpus', 'memory_mib', 'disk_bytes', 'disks', 'addresses', 'wave', ...names.map((n) => `label.${n}`)],
    ...machines.map((m) => [
      m.name, m.id, m.site, m.on ? 'on' : 'off', m.os, m.firmware, m.cpus, m.memoryMib, m.disks.reduce((sum, d) => sum + d.bytes, 0), m.disks.length,
      m.nics.map((n) => n.address).join(' '), m.wave, ...names.map((n) => m.labels[n] ?? ''),
    ]),
  ]);
  saved('machines.csv', text);
}

/** The estate as a table: filtered, sorted and paged by the service; the address bar holds all three. */
export function MachinesPage() {
  const [asked, setAsked] = useSearchParams();
  const filter = asked.get('filter') ?? '';
  const sort = asked.get('sort') ?? 'name';
  const page = Math.max(0, Number(asked.get('page') ?? '0') || 0);
  const { data, error, isPlaceholderData: former } = useQuery({
    queryKey: ['machines', filter, sort, page],
    queryFn: () => answer(api.GET('/api/v1/machines', { params: { query: { size: ROWS, page, sort, filter } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const ask = (change: Record<string, string>) => {
    const next = new URLSearchParams(asked);
    Object.entries(change).forEach(([name, value]) => (value === '' ? next.delete(name) : next.set(name, value)));
    setAsked(next);
  };
  const take = useMutation({ mutationFn: () => exported(filter, sort) });
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      <Panel
        title="Machines"
        note={
          data === undefined || error !== null ? (
            ''
          ) : former ? (
            'being read'
          ) : (
            <>
              {`${data.total} ${filter === '' ? 'found' : 'chosen'}`}{' '}
              <Button size="small" disabled={data.total === 0 || take.isPending} onClick={() => take.mutate()}>
                Export as CSV
              </Button>
            </>
          )
        }
      >
        {take.error !== null && <Trouble error={take.error} />}
        <FilterBox key={filter} filter={filter} error={error} onAsk={(text) => ask({ filter: text, page: '' })} />
        {error !== null && !(error instanceof ApiProblem && error.problem.code === 'filter-malformed') && <Trouble error={error} />}
        {error === null && !former && data?.total === 0 && (
          <Alert severity="info">{filter === '' ? 'No machines yet. Add a site and scan it: bargelane site add NAME, then bargelane site scan NAME' : 'No machine is chosen by this filter.'}</Alert>
        )}
        {error === null && data !== undefined && data.total > 0 && <BigTable name="Machines" columns={COLUMNS} data={data} id={(m) => m.id} sort={sort} page={page} onAsk={ask} former={former} />}
      </Panel>
      {error === null && <May key={filter}><LabelRules filter={filter} /></May>}
    </Box>
  );
}
