import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { BarChart } from '@mui/x-charts/BarChart';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams, useSearchParams } from 'react-router';
import { answer, api, type Assessment } from '../api';
import { moment, money, verdictCount } from '../format';
import { AssessedTable } from './AssessedTable';
import { Assuming } from './Assuming';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { WhatIfPanel } from './WhatIfPanel';

function Sums({ a }: { a: Assessment }) {
  const above = (b: Assessment['observed']) => (b.above === 0 ? 'none' : `${b.above}, ${b.aboveHours.toFixed(1)} h in all`);
  return (
    <Panel title="Configured and observed" note={`${a.currency}, ${a.prices}`}>
      <Rows
        heads={[
          ['', 'left'],
          ['Configured', 'right'],
          ['Observed', 'right'],
        ]}
        rows={[
          { key: 'month', cells: ['A month', money(a.configured.monthly), money(a.observed.monthly)] },
          { key: 'horizon', cells: [`${a.assumptions.horizonMonths} months`, money(a.configured.horizon), money(a.observed.horizon)] },
          { key: 'sized', cells: ['Machines in the sum', a.configured.sized, a.observed.sized] },
          { key: 'unsized', cells: ['No size or class, not in it', a.configured.unsized, a.observed.unsized] },
          { key: 'both', cells: [`The ${a.both.machines} that are in both`, money(a.both.configured), money(a.both.observed)] },
          { key: 'above', cells: ['Above their size in the window', above(a.configured), above(a.observed)] },
        ]}
        none=""
      />
      <Box sx={{ mt: 1 }}>
        Replicas while they wait: {money(a.waiting)} a month.{' '}
        {a.todayKnown > 0 && `Today ${a.todayKnown} of these machines cost ${money(a.today)} a month where they are.`}
      </Box>
      {a.notes.map((n) => (
        <Box key={n}>
          <Status tone="waiting" wrap>
            {n}
          </Status>
        </Box>
      ))}
    </Panel>
  );
}

function Costs({ a }: { a: Assessment }) {
  const { palette } = useTheme();
  return (
    <Panel title="Cost by item" note={`${a.currency} a month`}>
      <BarChart
        height={40 + a.costs.length * 44}
        layout="horizontal"
        skipAnimation
        margin={{ left: 4, right: 24, top: 4, bottom: 4 }}
        yAxis={[{ data: a.costs.map((c) => c.kind), scaleType: 'band', width: 92 }]}
        xAxis={[{ min: 0, valueFormatter: (v: number) => v.toLocaleString('en-GB') }]}
        series={[
          { label: 'configured', data: a.costs.map((c) => c.configured), color: palette.text.secondary, valueFormatter: (v) => money(v ?? null) },
          { label: 'observed', data: a.costs.map((c) => c.observed), color: palette.primary.main, valueFormatter: (v) => money(v ?? null) },
        ]}
      />
    </Panel>
  );
}

/** How many go, and why others don't; each leads to those machines. */
function Fitness({ a, verdict, reason, onChoose }: { a: Assessment; verdict: string; reason: string; onChoose: (change: Record<string, string>) => void }) {
  const most = Math.max(1, ...a.reasons.map((r) => r.machines));
  const tones = { goes: 'good', 'goes after': 'working', stays: 'bad' } as const;
  return (
    <Panel title="Readiness" note={`rules ${a.rules}`}>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', mb: 1 }}>
        {a.verdicts.map((v) => (
          <Button key={v.what} size="small" variant="outlined" sx={verdict === v.what ? { borderWidth: 2, borderColor: 'primary.main' } : undefined} aria-pressed={verdict === v.what} onClick={() => onChoose({ verdict: verdict === v.what ? '' : v.what })}>
            <Status tone={tones[v.what as keyof typeof tones]}>{verdictCount(v.what, v.machines)}</Status>
          </Button>
        ))}
      </Box>
      <Box sx={{ display: 'grid', gridTemplateColumns: 'max-content 1fr max-content', columnGap: 1.5, rowGap: 0.25, alignItems: 'center' }}>
        {a.reasons.map((r) => (
          <Box key={r.what} sx={{ display: 'contents' }}>
            <Link component="button" type="button" underline="hover" aria-pressed={reason === r.what} sx={{ textAlign: 'left', fontWeight: reason === r.what ? 700 : 400 }} onClick={() => onChoose({ reason: reason === r.what ? '' : r.what })}>
              {r.what}
            </Link>
            <Box sx={{ height: 10, width: `${(100 * r.machines) / most}%`, bgcolor: 'primary.main', opacity: 0.75 }} />
            <Box sx={{ textAlign: 'right' }}>{r.machines}</Box>
          </Box>
        ))}
      </Box>
      {a.reasons.length === 0 && <Typography color="text.secondary">Nothing was found in the way.</Typography>}
    </Panel>
  );
}

/** One assessment: a revision in sum, and its machines. Revision and choice are in the address. */
export function AssessmentPage() {
  const { name = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const revision = Number(search.get('revision') ?? '0') || 0;
  const path = `/assessments/${encodeURIComponent(name)}`;
  const { data: a, error } = useQuery({
    queryKey: ['assessment', name, revision],
    queryFn: () => answer(api.GET('/api/v1/assessments/{assessment}', { params: { path: { assessment: name }, query: { revision } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const others = useQuery({ queryKey: ['assessments'], queryFn: () => answer(api.GET('/api/v1/assessments')) });
  const choose = (change: Record<string, string>) =>
    setSearch((now) => {
      now.delete('page');
      Object.entries(change).forEach(([key, value]) => (value === '' ? now.delete(key) : now.set(key, value)));
      return now;
    });
  if (error !== null) {
    return <Trouble error={error} />;
  }
  if (a === undefined) {
    return null;
  }
  const files = `/api/v1${path}`;
  const against = [
    ...Array.from({ length: a.revisions }, (_, i) => i + 1)
      .filter((n) => n !== a.revision)
      .map((n) => ({ label: `revision ${n}`, to: `${path}/comparison?from=${n}&to=${a.revision}` })),
    ...(others.data ?? []).filter((o) => o.id !== a.id && o.currency === a.currency).map((o) => ({ label: o.name, to: `${path}/comparison?from=${a.revision}&with=${encodeURIComponent(o.name)}` })),
  ];
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 1fr)' } }}>
      <Box sx={{ gridColumn: '1 / -1', display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography variant="h1">{a.name}</Typography>
        <span>
          {a.count} machines for {a.target === '' ? `what the book ${a.book} describes` : a.target}
        </span>
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {moment(a.at)} by {a.by}
          {a.why !== '' && `: ${a.why}`}
        </Box>
        <Box sx={{ ml: 'auto', display: 'flex', gap: 1.5, alignItems: 'center' }}>
          <TextField select size="small" label="Revision" value={String(a.revision)} onChange={(e) => choose({ revision: Number(e.target.value) === a.revisions ? '' : e.target.value })} sx={{ minWidth: 90 }}>
            {Array.from({ length: a.revisions }, (_, i) => String(a.revisions - i)).map((n) => (
              <MenuItem key={n} value={n}>
                {n}
              </MenuItem>
            ))}
          </TextField>
          <Link href={`${files}/report?revision=${a.revision}`} target="_blank" rel="noreferrer">
            Report
          </Link>
          <Link href={`${files}/costs?revision=${a.revision}`} download={`${a.name}.csv`}>
            Costs
          </Link>
          <Link href={`${files}/costs?revision=${a.revision}&form=focus`} download={`${a.name}-focus.csv`}>
            FOCUS
          </Link>
        </Box>
        {against.length > 0 && (
          <Box sx={{ width: '100%' }}>
            Compare with:{' '}
            {against.map((x) => (
              <Link key={x.to} component={RouterLink} to={x.to} sx={{ mr: 1.5 }}>
                {x.label}
              </Link>
            ))}
          </Box>
        )}
      </Box>
      <Sums a={a} />
      <Costs a={a} />
      <Fitness a={a} verdict={search.get('verdict') ?? ''} reason={search.get('reason') ?? ''} onChoose={choose} />
      <WhatIfPanel key={`${a.id} ${a.revision}`} a={a} />
      <Assuming key={`${a.id} ${a.revision} assumed`} a={a} onMade={() => choose({ revision: '' })} />
      <AssessedTable a={a} />
    </Box>
  );
}
