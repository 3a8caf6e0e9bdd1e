import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Run } from '../api';
import { between, clock, duration } from '../format';
import { NextStep } from '../parts/NextStep';
import { Status, toneOf } from '../parts/Status';

/** A run step by step, with its clock. */
export function RunSteps({ run, now }: { run: Run; now: number }) {
  const end = run.endedAt ?? new Date(now).toISOString();
  return (
    <Box>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography sx={{ fontWeight: 600 }}>{run.title}</Typography>
        <Status tone={toneOf(run.state)}>{run.state}</Status>
        <Typography color="text.secondary" sx={{ fontVariantNumeric: 'tabular-nums' }}>
          {clock(run.startedAt)} by {run.startedBy} · {duration(Math.max(0, between(run.startedAt, end)))}
        </Typography>
      </Box>
      {run.problem !== null && (
        <Typography color="error.main">
          {run.problem.detail}
          <NextStep before=". Next: " remedy={run.problem.remedy} />
        </Typography>
      )}
      <Box component="ol" sx={{ listStyle: 'none', m: 0, mt: 0.5, p: 0, display: 'grid', gridTemplateColumns: 'max-content max-content 1fr max-content', columnGap: 1.5, rowGap: 0.25 }}>
        {run.steps.map((s) => (
          <Box component="li" key={s.number} sx={{ display: 'contents' }}>
            <Status tone={toneOf(s.state)}>{s.state}</Status>
            <span>{s.title}</span>
            <Box component="span" sx={{ color: 'text.secondary', overflowWrap: 'anywhere' }}>
              {s.detail}
            </Box>
            <Box component="span" sx={{ color: 'text.secondary', textAlign: 'right', fontVariantNumeric: 'tabular-nums' }}>
              {s.startedAt === null ? '' : duration(Math.max(0, between(s.startedAt, s.endedAt ?? new Date(now).toISOString())))}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
