import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { answer, api, type Need } from '../api';
import { clock } from '../format';
import { useNow } from '../live';
import { Gates } from './Gates';
import { Panel } from '../parts/Panel';
import { NextStep } from '../parts/NextStep';
import { RunSteps } from '../activity/RunSteps';
import { Status, type Tone } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { WaveTable } from '../waves/WaveTable';

const URGENCY: Record<Need['urgency'], { tone: Tone; word: string }> = {
  now: { tone: 'bad', word: 'now' },
  soon: { tone: 'working', word: 'soon' },
  next: { tone: 'waiting', word: 'next' },
};

function Needs({ needs }: { needs: Need[] }) {
  if (needs.length === 0) {
    return <Typography color="text.secondary">Nothing needs you now.</Typography>;
  }
  return (
    <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0, display: 'grid', gridTemplateColumns: 'max-content 1fr', columnGap: 2, rowGap: 1 }}>
      {needs.map((n) => (
        <Box component="li" key={n.thing + n.cause} sx={{ display: 'contents' }}>
          <Status tone={URGENCY[n.urgency].tone}>{URGENCY[n.urgency].word}</Status>
          <span>
            {n.wave === '' ? n.thing : <Link component={RouterLink} to={`/waves/${n.wave}`}>{n.thing}</Link>}: {n.cause}.{' '}
            <NextStep remedy={n.remedy} />
          </span>
        </Box>
      ))}
    </Box>
  );
}

export function OverviewPage() {
  const { data, error } = useQuery({ queryKey: ['overview'], queryFn: () => answer(api.GET('/api/v1/overview')) });
  const now = useNow(data?.now ?? new Date(0).toISOString());
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const passed = Math.max(0, (now - Date.parse(data.now)) / 1000);
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: '1fr', md: '1.15fr 1fr' } }}>
      <Panel title="Needs you" note={data.needs.length === 0 ? '' : `${data.needs.length}, most urgent first`}>
        <Needs needs={data.needs} />
      </Panel>
      <Panel title="The estate along the gates" note={`${data.machines} machines found, ${data.planned} planned`}>
        <Gates gates={data.gates} planned={data.planned} />
      </Panel>
      <Box sx={{ gridColumn: '1 / -1', minWidth: 0 }}>
        <Panel title="Waves">
          <WaveTable waves={data.waves} passed={passed} />
        </Panel>
      </Box>
      <Panel title="Running now">
        {data.running.length === 0 ? <Typography color="text.secondary">Nothing but the timetables&apos; passes.</Typography> : data.running.map((r) => <RunSteps key={r.id} run={r} now={now} />)}
      </Panel>
      <Panel title="Latest">
        <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0, display: 'grid', gridTemplateColumns: 'max-content 1fr', columnGap: 1.5, rowGap: 0.25 }}>
          {data.recent.map((e) => (
            <Box component="li" key={e.id} sx={{ display: 'contents' }}>
              <Box component="span" sx={{ color: 'text.secondary', fontVariantNumeric: 'tabular-nums' }}>
                {clock(e.at)}
              </Box>
              <span>
                {e.text}
                {e.actor !== '' && !e.text.includes(e.actor) && (
                  <Box component="span" sx={{ color: 'text.secondary' }}>
                    , by {e.actor}
                  </Box>
                )}
              </span>
            </Box>
          ))}
        </Box>
      </Panel>
    </Box>
  );
}
