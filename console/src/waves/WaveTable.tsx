import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { Link as RouterLink } from 'react-router';
import type { WaveCard } from '../api';
import { duration, shortDuration } from '../format';
import { NextStep } from '../parts/NextStep';
import { Rows } from '../parts/Rows';
import { Status, toneOf } from '../parts/Status';

function Exposure({ wave, passed }: { wave: WaveCard; passed: number }) {
  if (wave.state === 'settled') {
    return <Status tone="plain">closed</Status>;
  }
  if (wave.exposureSeconds === null) {
    return <Status tone="waiting">no point yet</Status>;
  }
  const seconds = wave.exposureSeconds + passed;
  const held = seconds <= wave.rpoSeconds;
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: '90px max-content', gap: 1, alignItems: 'center' }}>
      <Box sx={{ height: 8, bgcolor: 'background.default', border: 1, borderColor: 'divider' }} aria-hidden="true">
        <Box sx={{ height: '100%', width: `${Math.min(100, (100 * seconds) / wave.rpoSeconds)}%`, bgcolor: held ? 'success.main' : 'error.main' }} />
      </Box>
      <Status tone={held ? 'good' : 'bad'}>{`${duration(seconds)} of ${shortDuration(wave.rpoSeconds)}${held ? ', held' : ', over'}`}</Status>
    </Box>
  );
}

/** Waves in a table; with what comes next where there is room. */
export function WaveTable({ waves, passed, next = false }: { waves: WaveCard[]; passed: number; next?: boolean }) {
  if (waves.length === 0) {
    return (
      <Typography color="text.secondary">
        No waves yet. Plan one: <code>bargelane wave add NAME --lane LANE --timetable TIMETABLE --machine NAME=RANK</code>
      </Typography>
    );
  }
  return (
    <Rows
      heads={[
        ['Wave', 'left'],
        ['State', 'left'],
        ['Route', 'left'],
        ['Runs at', 'left'],
        ['Machines', 'right'],
        ['Exposure against RPO', 'left'],
        ...(next ? ([['Next', 'left']] as ['Next', 'left'][]) : []),
      ]}
      rows={waves.map((w) => ({
        key: w.id,
        cells: [
          <Link key="w" component={RouterLink} to={`/waves/${w.name}`}>
            {w.name}
          </Link>,
          <Status key="s" tone={toneOf(w.state)}>
            {w.state}
          </Status>,
          `${w.from} to ${w.to}`,
          w.stands,
          w.machines,
          <Exposure key="e" wave={w} passed={passed} />,
          ...(next ? [<NextStep key="n" remedy={w.nextAction} />] : []),
        ],
      }))}
      none=""
    />
  );
}
