import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { BarChart } from '@mui/x-charts/BarChart';
import type { Pass } from '../api';
import { size } from '../format';

/** Bytes that each of the last passes sent; the first, full pass would hide the rest and is told in words. */
export function PassChart({ passes }: { passes: Pass[] }) {
  const { palette } = useTheme();
  const shown = passes.filter((p) => p.state === 'complete' && p.kind !== 'full').slice(0, 20).reverse();
  if (shown.length === 0) {
    return <Typography color="text.secondary">Drawn from the first delta on.</Typography>;
  }
  return (
    <BarChart
      height={210}
      skipAnimation
      hideLegend
      margin={{ left: 4, right: 8, top: 16, bottom: 4 }}
      xAxis={[{ data: shown.map((p, i) => `${p.number}${'\u200b'.repeat(i)}`), scaleType: 'band', label: 'pass' }]}
      yAxis={[{ label: 'sent, KiB', width: 68 }]}
      series={[{ data: shown.map((p) => p.sent / 1024), color: palette.secondary.main, valueFormatter: (v) => (v === null ? '' : size(v * 1024)) }]}
    />
  );
}
