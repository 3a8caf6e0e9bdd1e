import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { ChartsReferenceLine } from '@mui/x-charts/ChartsReferenceLine';
import { LineChart } from '@mui/x-charts/LineChart';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { answer, api, type Metric, type Usage } from '../api';
import { duration, figure, moment } from '../format';
import { Panel } from '../parts/Panel';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const POINTS = 360;
export const METRICS: [string, string][] = [
  ['cpu', 'Processors in use'],
  ['memory', 'Memory in use'],
  ['read-bytes', 'Disk bytes read'],
  ['reads', 'Disk reads'],
  ['written-bytes', 'Disk bytes written'],
  ['writes', 'Disk writes'],
  ['received-bytes', 'Network bytes received'],
  ['sent-bytes', 'Network bytes sent'],
];
const DAYS = ['1', '7', '30', '45', '90', '365'];
const PERCENTILES = ['90', '95', '98', '99.5'];

/** Any percentile from 50 to 100, with those that are usual offered. */
function PercentileField({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const [text, setText] = useState(value);
  const good = /^\d{2,3}(\.\d+)?$/.test(text) && Number(text) >= 50 && Number(text) <= 100;
  return (
    <>
      <TextField
        size="small"
        label="Percentile"
        value={text}
        error={!good}
        helperText={good ? undefined : '50 to 100'}
        onChange={(e) => {
          setText(e.target.value);
          const n = Number(e.target.value);
          if (/^\d{2,3}(\.\d+)?$/.test(e.target.value) && n >= 50 && n <= 100) {
            onChange(e.target.value);
          }
        }}
        sx={{ width: 110 }}
        slotProps={{ htmlInput: { inputMode: 'decimal', list: 'usual-percentiles' } }}
      />
      <datalist id="usual-percentiles">
        {PERCENTILES.map((p) => (
          <option key={p} value={p} />
        ))}
      </datalist>
    </>
  );
}

export function Choice({ label, value, options, onChange }: { label: string; value: string; options: [string, string][]; onChange: (value: string) => void }) {
  return (
    <TextField select size="small" label={label} value={value} onChange={(e) => onChange(e.target.value)} sx={{ minWidth: 110 }}>
      {options.map(([key, text]) => (
        <MenuItem key={key} value={key}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** A line that a machine's use is to be seen against. */
export interface Limit { label: string; cpus: number; memoryBytes: number }

function limitOf(metric: Metric, limit: Limit): number | null {
  return metric.metric === 'cpu' ? limit.cpus : metric.metric === 'memory' ? limit.memoryBytes : null;
}

/** The course of a metric with its percentile, what is configured, and the limit of a size if one is given. */
export function Course({ metric, usage, size }: { metric: Metric; usage: Usage; size?: Limit }) {
  const { palette } = useTheme();
  const limit = limitOf(metric, { label: '', ...usage.configured });
  const ofSize = size === undefined ? null : limitOf(metric, size);
  const share = (value: number) => figure(value, metric.unit);
  const day = Date.parse(usage.to) - Date.parse(usage.from) < 3 * 86_400_000;
  return (
    <LineChart
      height={230}
      skipAnimation
      margin={{ left: 4, right: 28, top: 8, bottom: 4 }}
      xAxis={[
        {
          data: metric.course.map((c) => new Date(c.from)),
          scaleType: 'time',
          valueFormatter: (d: Date, { location }) => (location === 'tick' ? (day ? d.toLocaleTimeString(undefined, { hour: '2-digit', minute: '2-digit', hour12: false }) : d.toLocaleDateString(undefined, { day: 'numeric', month: 'short' })) : moment(d.toISOString())),
          tickNumber: 8,
        },
      ]}
      yAxis={[{ min: 0, max: Math.max(metric.maximum, limit ?? 0, ofSize ?? 0) * 1.06, width: 76, valueFormatter: (v: number) => share(v), tickNumber: 5 }]}
      series={[
        { label: 'highest', data: metric.course.map((c) => c.maximum), curve: 'linear', showMark: false, color: palette.text.secondary, valueFormatter: (v) => (v === null ? 'not measured' : share(v)) },
        { label: 'mean', data: metric.course.map((c) => c.mean), curve: 'linear', showMark: false, area: true, color: palette.primary.main, valueFormatter: (v) => (v === null ? 'not measured' : share(v)) },
      ]}
      sx={{ '& .MuiLineChart-area': { opacity: 0.18 }, '& .MuiLineChart-line': { strokeWidth: 1.2 } }}
    >
      <ChartsReferenceLine y={metric.percentile} label={`P${usage.percentile} ${share(metric.percentile)}`} labelAlign="start" lineStyle={{ stroke: palette.error.main, strokeDasharray: '6 4' }} labelStyle={{ fill: palette.error.main, fontSize: 12 }} />
      {limit !== null && <ChartsReferenceLine y={limit} label={`configured ${share(limit)}`} labelAlign="end" lineStyle={{ stroke: palette.text.primary }} labelStyle={{ fill: palette.text.primary, fontSize: 12 }} />}
      {ofSize !== null && <ChartsReferenceLine y={ofSize} label={`${size?.label} ${share(ofSize)}`} labelAlign="middle" lineStyle={{ stroke: palette.success.main, strokeWidth: 2 }} labelStyle={{ fill: palette.success.main, fontSize: 12 }} />}
    </LineChart>
  );
}

export function Words({ metric, usage }: { metric: Metric; usage: Usage }) {
  const held = (100 * usage.held) / Math.max(1, usage.expected);
  return (
    <Box sx={{ display: 'flex', gap: 2.5, flexWrap: 'wrap', mt: 1 }}>
      <span>Mean {figure(metric.mean, metric.unit)}</span>
      <span>
        P{usage.percentile} {figure(metric.percentile, metric.unit)}
        {metric.percentileBelow < metric.percentileAbove && ` (${figure(metric.percentileBelow, metric.unit)} to ${figure(metric.percentileAbove, metric.unit)})`}, above it for {duration(metric.aboveSeconds)}
      </span>
      <span>
        Highest {figure(metric.maximum, metric.unit)} at {moment(metric.maximumAt)}
      </span>
      <span>
        Coverage {held.toFixed(1)} %{usage.gaps.length > 0 && `, ${usage.gaps.length} ${usage.gaps.length === 1 ? 'gap' : 'gaps'}`}
      </span>
    </Box>
  );
}

/** A machine's use over a window, with its percentile line and how much of the window is held. The choice is in the address. */
export function UsagePanel({ machine }: { machine: string }) {
  const [search, setSearch] = useSearchParams();
  const chosen = search.get('metric') ?? 'cpu';
  const days = search.get('days') ?? '30';
  const percentile = search.get('percentile') ?? '95';
  const choose = (name: string) => (value: string) =>
    setSearch(
      (now) => {
        now.set(name, value);
        return now;
      },
      { replace: true },
    );
  const { data: usage, error } = useQuery({
    queryKey: ['usage', machine, days, percentile],
    queryFn: () => answer(api.GET('/api/v1/machines/{machine}/usage', { params: { path: { machine }, query: { from: new Date(Date.now() - Number(days) * 86_400_000).toISOString(), percentile, points: POINTS } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const metric = usage?.metrics.find((m) => m.metric === chosen);
  return (
    <Panel title="Use" note="five-minute samples" wide>
      <Box sx={{ display: 'flex', gap: 1.5, mb: 1, flexWrap: 'wrap' }}>
        <Choice label="Of" value={chosen} options={METRICS} onChange={choose('metric')} />
        <Choice label="Window" value={days} options={[...new Set([...DAYS, days])].map((d) => [d, d === '1' ? '1 day' : `${d} days`])} onChange={choose('days')} />
        <PercentileField value={percentile} onChange={choose('percentile')} />
      </Box>
      {error !== null && <Trouble error={error} />}
      {usage?.warnings.map((w) => (
        <Box key={w}>
          <Status tone="waiting" wrap>
            {w}
          </Status>
        </Box>
      ))}
      {usage !== undefined && metric === undefined && <Typography color="text.secondary">Of this nothing was measured in the window. A scan of its site reads what there is.</Typography>}
      {usage !== undefined && metric !== undefined && (
        <>
          <Course metric={metric} usage={usage} />
          <Words metric={metric} usage={usage} />
        </>
      )}
    </Panel>
  );
}
