import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { LineChart } from '@mui/x-charts/LineChart';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Assessment, type WhatIf, type WhatIfPoint } from '../api';
import { money } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const PERCENTILES = [50, 90, 95, 98, 99.5, 100];
const HEADROOMS = [0, 10, 20, 30, 50];
const COMMITMENTS = ['none', '1 year', '3 years'];
const HOURS = [168, 60];

/** One line a headroom: from percentile to percentile, cost against how many machines would have been above their size. */
function Curve({ grid, shown }: { grid: WhatIf; shown: WhatIfPoint[] }) {
  const costs = [...new Set(shown.map((p) => p.monthly))].sort((a, b) => a - b);
  const { palette } = useTheme();
  const colours = [palette.primary.main, palette.barge, palette.info.main, palette.success.main, palette.text.secondary];
  const series = [...new Set(shown.map((p) => p.headroomPercent))].map((headroom, i) => ({
    color: colours[i % colours.length],
    label: `${headroom} %`,
    curve: 'linear' as const,
    connectNulls: true,
    showMark: true,
    data: costs.map((c) => shown.find((p) => p.headroomPercent === headroom && p.monthly === c)?.above ?? null),
    valueFormatter: (v: number | null, { dataIndex }: { dataIndex: number }) => {
      const p = shown.find((x) => x.headroomPercent === headroom && x.monthly === costs[dataIndex]);
      return v === null || p === undefined ? '' : `P${p.percentile}: ${v} above, ${p.aboveHours.toFixed(0)} h in all`;
    },
  }));
  return (
    <LineChart
      height={240}
      skipAnimation
      margin={{ left: 4, right: 24, top: 8, bottom: 4 }}
      xAxis={[{ data: costs, label: `${grid.currency} a month`, scaleType: 'linear', min: costs[0], max: costs[costs.length - 1], valueFormatter: (v: number) => v.toLocaleString('en-GB', { maximumFractionDigits: 0 }) }]}
      yAxis={[{ min: 0, label: 'machines above their size', width: 52 }]}
      series={series}
    />
  );
}

/** Every combination of choices over the machines of a revision, so that the knee is picked and not a habit. */
export function WhatIfPanel({ a }: { a: Assessment }) {
  const [commitment, setCommitment] = useState(a.assumptions.commitment);
  const [hours, setHours] = useState(HOURS.includes(a.assumptions.hoursAWeek) ? a.assumptions.hoursAWeek : 168);
  const compute = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/assessments/{assessment}/what-if', { params: { path: { assessment: a.name } }, body: { revision: a.revision, percentiles: PERCENTILES, headrooms: HEADROOMS, commitments: COMMITMENTS, hoursAWeek: HOURS } })),
  });
  const grid = compute.data;
  const shown = (grid?.points ?? []).filter((p) => p.commitment === commitment && p.hoursAWeek === hours);
  const edge = shown.filter((p) => !shown.some((o) => o.monthly <= p.monthly && o.above <= p.above && (o.monthly < p.monthly || o.above < p.above))).sort((x, y) => x.monthly - y.monthly);
  return (
    <Panel title="What if" note={grid === undefined ? 'percentile, headroom, commitment, running hours' : `${grid.compared} of ${grid.machines} machines, which have a size at every choice`}>
      <Box sx={{ display: 'flex', gap: 1.5, mb: 1, alignItems: 'center' }}>
        <May roles="planner"><Button variant={grid === undefined ? 'contained' : 'outlined'} disabled={compute.isPending} onClick={() => compute.mutate()}>
          {compute.isPending ? 'Computing …' : grid === undefined ? `Compute ${PERCENTILES.length * HEADROOMS.length * COMMITMENTS.length * HOURS.length} choices` : 'Compute again'}
        </Button></May>
        {grid !== undefined && (
          <>
            <TextField select size="small" label="Commitment" value={commitment} onChange={(e) => setCommitment(e.target.value)} sx={{ minWidth: 110 }}>
              {COMMITMENTS.map((c) => (
                <MenuItem key={c} value={c}>
                  {c}
                </MenuItem>
              ))}
            </TextField>
            <TextField select size="small" label="Hours a week" value={String(hours)} onChange={(e) => setHours(Number(e.target.value))} sx={{ minWidth: 110 }}>
              {HOURS.map((h) => (
                <MenuItem key={h} value={String(h)}>
                  {h}
                </MenuItem>
              ))}
            </TextField>
          </>
        )}
      </Box>
      {compute.error !== null && <Trouble error={compute.error} />}
      {grid === undefined && compute.error === null && <Typography color="text.secondary">What the machines would cost, and how many would have been above their size, for every combination; lines are headrooms, points are percentiles.</Typography>}
      {grid !== undefined && shown.length > 0 && (
        <>
          <Curve grid={grid} shown={shown} />
          <Rows
            heads={[
              ['On the edge', 'left'],
              [`${grid.currency} a month`, 'right'],
              ['Above their size', 'right'],
              ['Hours above', 'right'],
            ]}
            rows={edge.map((p) => ({ key: `${p.percentile} ${p.headroomPercent}`, cells: [`P${p.percentile}, ${p.headroomPercent} % headroom`, money(p.monthly), p.above, p.aboveHours.toFixed(1)] }))}
            none=""
          />
          <Typography variant="body2" color="text.secondary">
            On the edge: no other of these is both cheaper and less often above.
          </Typography>
        </>
      )}
    </Panel>
  );
}
