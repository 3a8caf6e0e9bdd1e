import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Link from '@mui/material/Link';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TablePagination from '@mui/material/TablePagination';
import TableRow from '@mui/material/TableRow';
import TableSortLabel from '@mui/material/TableSortLabel';
import TextField from '@mui/material/TextField';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { get, post, type AssessedRow, type Assessment, type Page } from '../api';
import { duration, money, size } from '../format';
import { Panel } from '../parts/Panel';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const ROWS = 50;
const TONES = { goes: 'good', 'goes after': 'working', stays: 'bad' } as const;
const COLUMNS: { title: string; sort?: string; right?: boolean }[] = [
  { title: 'Machine', sort: 'machine' },
  { title: 'Verdict', sort: 'verdict' },
  { title: 'Is built with' },
  { title: 'Configured' },
  { title: 'A month', sort: 'configured', right: true },
  { title: 'Observed' },
  { title: 'A month', sort: 'observed', right: true },
  { title: 'Saves', sort: 'saving', right: true },
  { title: 'Today', right: true },
  { title: 'Above', sort: 'above', right: true },
  { title: 'Reasons' },
  { title: 'Accepted' },
];

function Row({ a, row: r, chosen, onChoose }: { a: Assessment; row: AssessedRow; chosen: boolean; onChoose: () => void }) {
  const saves = r.configuredMonthly !== null && r.observedMonthly !== null ? r.configuredMonthly - r.observedMonthly : null;
  return (
    <TableRow hover>
      <TableCell padding="checkbox">
        <Checkbox size="small" checked={chosen} onChange={onChoose} slotProps={{ input: { 'aria-label': `Choose ${r.machine}` } }} />
      </TableCell>
      <TableCell>
        <Link component={RouterLink} to={`/assessments/${encodeURIComponent(a.name)}/machines/${r.machineId}?revision=${a.revision}`}>
          {r.machine}
        </Link>
      </TableCell>
      <TableCell>
        <Status tone={TONES[r.verdict as keyof typeof TONES]}>{r.verdict}</Status>
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>
        {r.cpus} × {size(r.memoryMib * 1024 * 1024)}
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>{r.configuredSize === '' ? 'none' : r.configuredSize}</TableCell>
      <TableCell align="right">{money(r.configuredMonthly)}</TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>
        {r.observedSize === '' ? 'none' : r.observedSize}
        {r.warned && ' *'}
      </TableCell>
      <TableCell align="right">{money(r.observedMonthly)}</TableCell>
      <TableCell align="right">{money(saves)}</TableCell>
      <TableCell align="right">{r.today === null ? '' : money(r.today)}</TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
        {r.above === 0 ? '' : duration(r.above)}
      </TableCell>
      <TableCell>{r.reasons.join(', ')}</TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>{r.accepted !== '' && (r.stale ? <Status tone="bad">{`${r.accepted}, stale`}</Status> : r.accepted)}</TableCell>
    </TableRow>
  );
}

/** Whose size of this revision is accepted: those that are ticked. */
function Accept({ a, chosen, onDone }: { a: Assessment; chosen: string[]; onDone: () => void }) {
  const client = useQueryClient();
  const accept = useMutation({
    mutationFn: () => post<{ accepted: number; unsized: string[]; waves: string[] }>(`/assessments/${encodeURIComponent(a.name)}/accept`, { revision: a.revision, basis: a.assumptions.basis, machines: chosen }),
    onSuccess: async () => {
      onDone();
      await client.invalidateQueries();
    },
  });
  return (
    <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
      <Button size="small" variant="contained" disabled={chosen.length === 0 || accept.isPending || a.target === ''} onClick={() => accept.mutate()}>
        Accept {chosen.length} {a.assumptions.basis} {chosen.length === 1 ? 'size' : 'sizes'}
      </Button>
      {accept.data !== undefined && `Accepted: ${accept.data.accepted}${accept.data.waves.length > 0 ? `, in waves ${accept.data.waves.join(', ')}` : ''}${accept.data.unsized.length > 0 ? `; without a size: ${accept.data.unsized.join(', ')}` : ''}`}
      {accept.error !== null && <Trouble error={accept.error} />}
    </Box>
  );
}

/** A revision's machines, both bases side by side: filtered, sorted and paged by the service. */
export function AssessedTable({ a }: { a: Assessment }) {
  const [asked, setAsked] = useSearchParams();
  const [chosen, setChosen] = useState<string[]>([]);
  const sort = asked.get('sort') ?? 'machine';
  const page = Math.max(0, Number(asked.get('page') ?? '0') || 0);
  const find = asked.get('find') ?? '';
  const verdict = asked.get('verdict') ?? '';
  const reason = asked.get('reason') ?? '';
  const { data, error } = useQuery({
    queryKey: ['assessed', a.id, a.revision, sort, page, find, verdict, reason],
    queryFn: () =>
      get<Page<AssessedRow>>(
        `/assessments/${encodeURIComponent(a.name)}/machines?revision=${a.revision}&sort=${sort}&page=${page}&size=${ROWS}&name=${encodeURIComponent(find)}&verdict=${encodeURIComponent(verdict)}&reason=${encodeURIComponent(reason)}`,
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const ask = (change: Record<string, string>) =>
    setAsked(
      (now) => {
        Object.entries(change).forEach(([name, value]) => (value === '' ? now.delete(name) : now.set(name, value)));
        return now;
      },
      { replace: true },
    );
  const field = sort.replace(/^-/, '');
  const direction = sort.startsWith('-') ? 'desc' : 'asc';
  const only = [verdict, reason].filter((x) => x !== '').join(', ');
  return (
    <Panel title="Machines" note={data === undefined ? '' : `${data.total}${only === '' ? '' : ` with ${only}`}; * read with care, see the machine`} wide>
      <Box sx={{ display: 'flex', gap: 1.5, mb: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <TextField size="small" label="Find" value={find} onChange={(e) => ask({ find: e.target.value, page: '' })} />
        {only !== '' && <Button onClick={() => ask({ verdict: '', reason: '', page: '' })}>All machines</Button>}
        <Accept a={a} chosen={chosen} onDone={() => setChosen([])} />
      </Box>
      {error !== null && <Trouble error={error} />}
      {data?.total === 0 && <Alert severity="info">No machine of this revision is chosen.</Alert>}
      {data !== undefined && data.total > 0 && (
        <Box sx={{ overflowX: 'auto' }}>
          <Table size="small">
            <TableHead>
              <TableRow>
                <TableCell padding="checkbox">
                  <Checkbox
                    size="small"
                    checked={data.items.every((r) => chosen.includes(r.machineId))}
                    onChange={(e) => setChosen(e.target.checked ? data.items.map((r) => r.machineId) : [])}
                    slotProps={{ input: { 'aria-label': 'Choose all of this page' } }}
                  />
                </TableCell>
                {COLUMNS.map((c, i) => (
                  <TableCell key={i} align={c.right ? 'right' : 'left'} sx={{ whiteSpace: 'nowrap' }} sortDirection={c.sort === field ? direction : false}>
                    {c.sort === undefined ? (
                      c.title
                    ) : (
                      <TableSortLabel active={c.sort === field} direction={c.sort === field ? direction : 'asc'} onClick={() => ask({ sort: c.sort === field && direction === 'asc' ? `-${field}` : (c.sort ?? ''), page: '' })}>
                        {c.title}
                      </TableSortLabel>
                    )}
                  </TableCell>
                ))}
              </TableRow>
            </TableHead>
            <TableBody>
              {data.items.map((r) => (
                <Row key={r.machineId} a={a} row={r} chosen={chosen.includes(r.machineId)} onChoose={() => setChosen((now) => (now.includes(r.machineId) ? now.filter((x) => x !== r.machineId) : [...now, r.machineId]))} />
              ))}
            </TableBody>
          </Table>
          {data.total > ROWS && <TablePagination component="div" count={data.total} rowsPerPage={ROWS} rowsPerPageOptions={[ROWS]} page={Math.min(page, Math.ceil(data.total / ROWS) - 1)} onPageChange={(_, to) => ask({ page: to === 0 ? '' : String(to) })} />}
        </Box>
      )}
    </Panel>
  );
}
