import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TablePagination from '@mui/material/TablePagination';
import TableRow from '@mui/material/TableRow';
import TableSortLabel from '@mui/material/TableSortLabel';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { ApiProblem, get, type Machine, type Page } from '../api';
import { csv, size } from '../format';
import { LabelRules } from './LabelRules';
import { Panel } from '../parts/Panel';
import { Power } from './Power';
import { Trouble } from '../parts/Trouble';

const ROWS = 50;
const COLUMNS: { title: string; sort?: string; right?: boolean }[] = [
  { title: 'Name', sort: 'name' },
  { title: 'Site' },
  { title: 'Power' },
  { title: 'System', sort: 'os' },
  { title: 'CPUs', sort: 'cpus', right: true },
  { title: 'Memory', sort: 'memory', right: true },
  { title: 'Disks', sort: 'disk', right: true },
  { title: 'Address' },
  { title: 'Labels' },
  { title: 'Wave' },
];

function Row({ machine: m }: { machine: Machine }) {
  return (
    <TableRow hover>
      <TableCell>
        <Link component={RouterLink} to={`/machines/${m.id}`}>
          {m.name}
        </Link>
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>{m.site}</TableCell>
      <TableCell>
        <Power machine={m} />
      </TableCell>
      <TableCell>{m.os}</TableCell>
      <TableCell align="right">{m.cpus}</TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>{size(m.memoryMib * 1024 * 1024)}</TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
        {size(m.disks.reduce((sum, d) => sum + d.bytes, 0))}
        {m.disks.length > 1 && ` in ${m.disks.length}`}
      </TableCell>
      <TableCell>{m.nics.map((n) => n.address).join(' ')}</TableCell>
      <TableCell>
        {Object.entries(m.labels)
          .map(([name, value]) => `${name}=${value}`)
          .join('  ')}
      </TableCell>
      <TableCell>
        {m.wave !== '' && (
          <Link component={RouterLink} to={`/waves/${m.wave}`}>
            {m.wave}
          </Link>
        )}
      </TableCell>
    </TableRow>
  );
}

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
        helperText={wrong === null ? 'Fields: name, site, os, cpus, memory, disk, disks, address, network, firmware, wave, label.NAME; on, fenced, vanished' : `${wrong.detail}. Next: ${wrong.remedy}`}
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
    const part = await get<Page<Machine>>(`/machines?size=${LARGEST}&page=${page}&sort=${encodeURIComponent(sort)}&filter=${encodeURIComponent(filter)}`);
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
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/csv' }));
  link.download = 'machines.csv';
  link.click();
  URL.revokeObjectURL(link.href);
}

/** The estate as a table: filtered, sorted and paged by the service; the address bar holds all three. */
export function MachinesPage() {
  const [asked, setAsked] = useSearchParams();
  const filter = asked.get('filter') ?? '';
  const sort = asked.get('sort') ?? 'name';
  const page = Math.max(0, Number(asked.get('page') ?? '0') || 0);
  const { data, error } = useQuery({
    queryKey: ['machines', filter, sort, page],
    queryFn: () => get<Page<Machine>>(`/machines?size=${ROWS}&page=${page}&sort=${encodeURIComponent(sort)}&filter=${encodeURIComponent(filter)}`),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const ask = (change: Record<string, string>) => {
    const next = new URLSearchParams(asked);
    Object.entries(change).forEach(([name, value]) => (value === '' ? next.delete(name) : next.set(name, value)));
    setAsked(next);
  };
  const take = useMutation({ mutationFn: () => exported(filter, sort) });
  const field = sort.replace(/^-/, '');
  const direction = sort.startsWith('-') ? 'desc' : 'asc';
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      <Panel
        title="Machines"
        note={
          data === undefined || error !== null ? (
            ''
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
        {error === null && data?.total === 0 && (
          <Alert severity="info">{filter === '' ? 'No machines yet. Add a site and scan it: bargelane site add NAME, then bargelane site scan NAME' : 'No machine is chosen by this filter.'}</Alert>
        )}
        {error === null && data !== undefined && data.total > 0 && (
          <>
            <Box sx={{ overflowX: 'auto' }}>
              <Table size="small">
                <TableHead>
                  <TableRow>
                    {COLUMNS.map((c) => (
                      <TableCell key={c.title} align={c.right ? 'right' : 'left'} sortDirection={c.sort === field ? direction : false}>
                        {c.sort === undefined ? (
                          c.title
                        ) : (
                          <TableSortLabel active={c.sort === field} direction={c.sort === field ? direction : 'asc'} onClick={() => ask({ sort: c.sort === field && direction === 'asc' ? `-${field}` : c.sort ?? '', page: '' })}>
                            {c.title}
                          </TableSortLabel>
                        )}
                      </TableCell>
                    ))}
                  </TableRow>
                </TableHead>
                <TableBody>
                  {data.items.map((m) => (
                    <Row key={m.id} machine={m} />
                  ))}
                </TableBody>
              </Table>
            </Box>
            {data.total > ROWS && <TablePagination component="div" count={data.total} rowsPerPage={ROWS} rowsPerPageOptions={[ROWS]} page={Math.min(page, Math.ceil(data.total / ROWS) - 1)} onPageChange={(_, to) => ask({ page: to === 0 ? '' : String(to) })} />}
            {data.items.length === 0 && <Typography color="text.secondary">There is nothing on this page.</Typography>}
          </>
        )}
      </Panel>
      {error === null && <LabelRules key={filter} filter={filter} />}
    </Box>
  );
}
