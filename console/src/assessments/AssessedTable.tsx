import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import type { GridColDef } from '@mui/x-data-grid';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { answer, api, type AssessedRow, type Assessment } from '../api';
import { duration, money, size } from '../format';
import { BigTable, ROWS } from '../parts/BigTable';
import { Panel } from '../parts/Panel';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const TONES = { goes: 'good', 'goes after': 'working', stays: 'bad' } as const;
const RIGHT = { align: 'right', headerAlign: 'right' } as const;

const columns = (a: Assessment): GridColDef<AssessedRow>[] => [
  {
    field: 'machine',
    headerName: 'Machine',
    sortable: true,
    flex: 1.2,
    minWidth: 130,
    renderCell: ({ row: r }) => (
      <Link component={RouterLink} to={`/assessments/${encodeURIComponent(a.name)}/machines/${r.machineId}?revision=${a.revision}`}>
        {r.machine}
      </Link>
    ),
  },
  { field: 'verdict', headerName: 'Verdict', sortable: true, width: 108, renderCell: ({ row: r }) => <Status tone={TONES[r.verdict as keyof typeof TONES]}>{r.verdict}</Status> },
  { field: 'has', headerName: 'Built with', width: 95, valueGetter: (_, r) => `${r.cpus} × ${size(r.memoryMib * 1024 * 1024)}` },
  { field: 'configuredSize', headerName: 'Configured', width: 102, valueGetter: (_, r) => (r.configuredSize === '' ? 'none' : r.configuredSize) },
  { field: 'configured', headerName: 'A month', sortable: true, width: 80, ...RIGHT, valueGetter: (_, r) => money(r.configuredMonthly) },
  { field: 'observedSize', headerName: 'Observed', width: 90, valueGetter: (_, r) => (r.observedSize === '' ? 'none' : r.observedSize) + (r.warned ? ' *' : '') },
  { field: 'observed', headerName: 'A month', sortable: true, width: 80, ...RIGHT, valueGetter: (_, r) => money(r.observedMonthly) },
  { field: 'saving', headerName: 'Saves', sortable: true, width: 80, ...RIGHT, valueGetter: (_, r) => money(r.configuredMonthly !== null && r.observedMonthly !== null ? r.configuredMonthly - r.observedMonthly : null) },
  { field: 'today', headerName: 'Today', width: 70, ...RIGHT, valueGetter: (_, r) => (r.today === null ? '' : money(r.today)) },
  { field: 'above', headerName: 'Above', sortable: true, width: 75, ...RIGHT, valueGetter: (_, r) => (r.above === 0 ? '' : duration(r.above)) },
  { field: 'reasons', headerName: 'Reasons', flex: 2, minWidth: 150, valueGetter: (_, r) => r.reasons.join(', ') },
  { field: 'accepted', headerName: 'Accepted', width: 95, renderCell: ({ row: r }) => r.accepted !== '' && (r.stale ? <Status tone="bad">{`${r.accepted}, stale`}</Status> : r.accepted) },
];

/** Whose size of this revision is accepted: those that are ticked. */
function Accept({ a, chosen, onDone }: { a: Assessment; chosen: string[]; onDone: () => void }) {
  const client = useQueryClient();
  const accept = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/assessments/{assessment}/accept', { params: { path: { assessment: a.name } }, body: { revision: a.revision, basis: a.assumptions.basis, machines: chosen } })),
    onSuccess: async () => {
      onDone();
      await client.invalidateQueries();
    },
  });
  return (
    <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
      <May roles="planner"><Button size="small" variant="contained" disabled={chosen.length === 0 || accept.isPending || a.target === ''} onClick={() => accept.mutate()}>
        Accept {chosen.length} {a.assumptions.basis} {chosen.length === 1 ? 'size' : 'sizes'}
      </Button></May>
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
  const { data, error, isPlaceholderData: former } = useQuery({
    queryKey: ['assessed', a.id, a.revision, sort, page, find, verdict, reason],
    queryFn: () =>
      answer(api.GET('/api/v1/assessments/{assessment}/machines', { params: { path: { assessment: a.name }, query: { revision: a.revision, sort, page, size: ROWS, name: find, verdict, reason } } })),
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
  const shown = useMemo(() => columns(a), [a]);
  const only = [verdict, reason].filter((x) => x !== '').join(', ');
  return (
    <Panel title="Machines" note={data === undefined ? '' : former ? 'being read' : `${data.total}${only === '' ? '' : ` with ${only}`}; * read with care, see the machine`} wide>
      <Box sx={{ display: 'flex', gap: 1.5, mb: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <TextField size="small" label="Find" value={find} onChange={(e) => ask({ find: e.target.value, page: '' })} />
        {only !== '' && <Button onClick={() => ask({ verdict: '', reason: '', page: '' })}>All machines</Button>}
        <Accept a={a} chosen={chosen} onDone={() => setChosen([])} />
      </Box>
      {error !== null && <Trouble error={error} />}
      {!former && data?.total === 0 && <Alert severity="info">No machine of this revision is chosen.</Alert>}
      {data !== undefined && data.total > 0 && (
        <BigTable name="Machines" columns={shown} data={data} id={(r) => r.machineId} sort={sort} page={page} onAsk={ask} former={former} chosen={chosen} onChoose={setChosen} />
      )}
    </Panel>
  );
}
