import Box from '@mui/material/Box';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { answer, api, type Finding } from '../api';
import { NextStep } from './NextStep';

/** The code of a finding; what it means is told where it is pointed at. */
function Code({ code }: { code: string }) {
  const { data } = useQuery({ queryKey: ['finding-codes'], queryFn: () => answer(api.GET('/api/v1/findings')), staleTime: Infinity });
  const known = data?.find((f) => f.code === code);
  return (
    <Tooltip title={known === undefined ? '' : `${known.meaning} ${known.advice}`}>
      <Box component="code" tabIndex={0} sx={{ fontSize: '0.92em', color: 'text.secondary' }}>
        {code}
      </Box>
    </Tooltip>
  );
}

/** What keeps a gate shut: cause, remedy, who can mend it, and its code. */
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
          </Box>{' '}
          <Code code={f.code} />
        </li>
      ))}
    </Box>
  );
}
