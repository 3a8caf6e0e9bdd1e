import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { ChartsReferenceLine } from '@mui/x-charts/ChartsReferenceLine';
import { LineChart } from '@mui/x-charts/LineChart';
import type { Pass } from '../api';
import { duration, exposureHistory, shortDuration, ticksOfTime } from '../format';

/** Exposure against the RPO, each recovery point marked where it was recorded. */
export function ExposureChart({ passes, rpoSeconds, now }: { passes: Pass[]; rpoSeconds: number; now: string }) {
  const { palette } = useTheme();
  const samples = exposureHistory(passes.filter((p) => p.state === 'complete').slice(0, 24), now);
  if (samples.length < 3) {
    return <Typography color="text.secondary">Drawn from the second recovery point on.</Typography>;
  }
  const max = Math.ceil(Math.max(rpoSeconds * 1.15, ...samples.map((s) => s.exposure)));
  return (
    <LineChart
      height={210}
      skipAnimation
      hideLegend
      margin={{ left: 4, right: 28, top: 16, bottom: 4 }}
      xAxis={[{ data: samples.map((s) => new Date(s.at)), scaleType: 'time', valueFormatter: (d: Date) => d.toLocaleTimeString(undefined, { hour12: false }), tickNumber: 5 }]}
      yAxis={[{ label: 'exposure', min: 0, max, width: 76, tickInterval: ticksOfTime(max), valueFormatter: (v: number) => shortDuration(v) }]}
      series={[
        { data: samples.map((s) => s.exposure), curve: 'linear', color: palette.primary.main, showMark: ({ index }) => samples[index].point !== null, valueFormatter: (v) => (v === null ? '' : duration(v)) },
      ]}
    >
      <ChartsReferenceLine y={rpoSeconds} label={`RPO ${shortDuration(rpoSeconds)}`} labelAlign="start" lineStyle={{ stroke: palette.error.main, strokeDasharray: '6 4' }} labelStyle={{ fill: palette.error.main, fontSize: 12 }} />
    </LineChart>
  );
}
