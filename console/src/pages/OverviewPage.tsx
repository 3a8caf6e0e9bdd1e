import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { get, type Need, type Overview, type WaveCard } from '../api';
import { clock, duration } from '../format';
import { useNow } from '../live';
import { Panel } from '../parts/Panel';
import { RunSteps } from '../parts/RunSteps';
import { Status, toneOf, type Tone } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

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
            <Box component="code" sx={{ color: 'text.secondary', fontSize: '0.92em' }}>
              {n.remedy}
            </Box>
          </span>
        </Box>
      ))}
    </Box>
  );
}

/** The estate along the gates: how many of the planned machines have each gate open. */
function Gates({ gates, planned }: { gates: Record<string, number>; planned: number }) {
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(8, 1fr)', gap: 0.5 }}>
      {Object.entries(gates).map(([gate, count]) => (
        <Box key={gate} sx={{ textAlign: 'center' }}>
          <Box sx={{ height: 56, display: 'flex', alignItems: 'flex-end', bgcolor: 'background.default' }} aria-hidden="true">
            <Box sx={{ width: '100%', height: planned === 0 ? 0 : `${(100 * count) / planned}%`, bgcolor: 'water', borderTop: count > 0 ? 2 : 0, borderColor: 'primary.main' }} />
          </Box>
          <Typography sx={{ fontVariantNumeric: 'tabular-nums', fontWeight: 600 }}>
            {count}/{planned}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {gate}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}

function Exposure({ wave, passed }: { wave: WaveCard; passed: number }) {
  if (wave.exposureSeconds === null) {
    return <Status tone="waiting">no point yet</Status>;
  }
  const seconds = wave.exposureSeconds + (wave.state === 'settled' ? 0 : passed);
  const held = seconds <= wave.rpoSeconds;
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: '90px max-content', gap: 1, alignItems: 'center' }}>
      <Box sx={{ height: 8, bgcolor: 'background.default', border: 1, borderColor: 'divider' }} aria-hidden="true">
        <Box sx={{ height: '100%', width: `${Math.min(100, (100 * seconds) / wave.rpoSeconds)}%`, bgcolor: held ? 'success.main' : 'error.main' }} />
      </Box>
      <Status tone={held ? 'good' : 'bad'}>{`${duration(seconds)} of ${wave.rpoSeconds} s${held ? ', held' : ', over'}`}</Status>
    </Box>
  );
}

function Waves({ waves, passed }: { waves: WaveCard[]; passed: number }) {
  if (waves.length === 0) {
    return (
      <Typography color="text.secondary">
        No waves yet. Plan one: <code>bargelane wave add NAME --lane LANE --timetable TIMETABLE --machine NAME=RANK</code>
      </Typography>
    );
  }
  return (
    <Table size="small">
      <TableHead>
        <TableRow>
          <TableCell>Wave</TableCell>
          <TableCell>State</TableCell>
          <TableCell>Route</TableCell>
          <TableCell>Runs at</TableCell>
          <TableCell align="right">Machines</TableCell>
          <TableCell>Exposure against RPO</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {waves.map((w) => (
          <TableRow key={w.id}>
            <TableCell>
              <Link component={RouterLink} to={`/waves/${w.name}`}>
                {w.name}
              </Link>
            </TableCell>
            <TableCell>
              <Status tone={toneOf(w.state)}>{w.state}</Status>
            </TableCell>
            <TableCell>
              {w.from} to {w.to}
            </TableCell>
            <TableCell>{w.stands}</TableCell>
            <TableCell align="right">{w.machines}</TableCell>
            <TableCell>{w.state === 'settled' ? <Status tone="plain">closed</Status> : <Exposure wave={w} passed={passed} />}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

export function OverviewPage() {
  const { data, error } = useQuery({ queryKey: ['overview'], queryFn: () => get<Overview>('/overview') });
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
          <Waves waves={data.waves} passed={passed} />
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
              <span>{e.text}</span>
            </Box>
          ))}
        </Box>
      </Panel>
    </Box>
  );
}
