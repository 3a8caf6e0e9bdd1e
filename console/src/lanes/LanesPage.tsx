import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { answer, api } from '../api';
import { Findings } from '../parts/Findings';
import { Panel } from '../parts/Panel';
import { Shores } from './Shores';
import { Suggestions } from './Suggestions';
import { Trouble } from '../parts/Trouble';

/** Lanes: two shores, what is joined and what is not. */
export function LanesPage() {
  const { data, error } = useQuery({ queryKey: ['lanes'], queryFn: () => answer(api.GET('/api/v1/lanes')) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  if (data.length === 0) {
    return (
      <Typography color="text.secondary">
        No lanes yet. Add one: <code>bargelane lane add NAME --from SITE --to SITE</code>
      </Typography>
    );
  }
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      {data.map((lane) => (
        <Panel
          key={lane.id}
          title={`Lane ${lane.name}`}
          note={
            <>
              {`${lane.from} to ${lane.to}; ${lane.keepAddresses ? 'addresses are kept where they fit' : 'addresses are chosen'}${lane.zone === '' ? '' : `; zone ${lane.zone}`}; `}
              <Link component={RouterLink} to={`/lanes/${lane.name}`}>
                plan and decisions
              </Link>
            </>
          }
        >
          <Shores lane={lane} />
          <Findings findings={lane.findings} none="Everything at the source is joined." />
          {lane.findings.length > 0 && <Suggestions lane={lane} />}
        </Panel>
      ))}
    </Box>
  );
}
