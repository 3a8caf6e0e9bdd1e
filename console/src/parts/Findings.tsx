import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { Finding } from '../api';
import { NextStep } from './NextStep';

/** What keeps a gate shut: cause, remedy, and who can mend it. */
export function Findings({ findings, none }: { findings: Finding[]; none: string }) {
  if (findings.length === 0) {
    return <Typography color="text.secondary">{none}</Typography>;
  }
  return (
    <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
      {findings.map((f) => (
        <li key={f.code + f.thing}>
          {f.thing}: {f.cause}.{' '}
          <Box component="span" sx={{ color: 'text.secondary' }}>
            Remedy ({f.who}):{' '}
            <Box component="code" sx={{ fontSize: '0.92em' }}>
              <NextStep remedy={f.remedy} />
            </Box>
          </Box>
        </li>
      ))}
    </Box>
  );
}
