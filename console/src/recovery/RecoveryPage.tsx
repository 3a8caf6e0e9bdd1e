import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { answer, api } from '../api';
import { moment } from '../format';
import { useNow } from '../live';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { RunSteps } from '../activity/RunSteps';
import { Trouble } from '../parts/Trouble';
import { WaveTable } from '../waves/WaveTable';
import { Approvals } from './Approvals';
import { Timetables } from './Timetables';
import { May } from '../parts/May';

const KINDS = ['test', 'cutover', 'failover', 'failback', 'reconcile', 'undo', 'settle'];

/** What moves now, step by step; how exposed each wave is; and the record of what was done. */
export function RecoveryPage() {
  const { data, error } = useQuery({ queryKey: ['overview'], queryFn: () => answer(api.GET('/api/v1/overview')) });
  const dossiers = useQuery({ queryKey: ['dossiers'], queryFn: () => answer(api.GET('/api/v1/dossiers')) });
  const now = useNow(data?.now ?? new Date(0).toISOString());
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const moving = data.running.filter((r) => KINDS.includes(r.kind));
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      <Panel title="Running now">
        {moving.length === 0 ? <Typography color="text.secondary">No test, cutover, failover or failback is running.</Typography> : moving.map((r) => <RunSteps key={r.id} run={r} now={now} />)}
      </Panel>
      <Panel title="What could be recovered" note="the data that would be lost if the source died now, against the RPO">
        <WaveTable waves={data.waves.filter((w) => w.state !== 'settled')} passed={Math.max(0, (now - Date.parse(data.now)) / 1000)} />
      </Panel>
      <Approvals waves={data.waves.filter((w) => w.state !== 'settled').map((w) => w.name)} />
      <May><Timetables /></May>
      <Panel title="Dossiers" note="the records of finished moves">
        {dossiers.data !== undefined && (
        <Rows
          heads={[
            ['What', 'left'],
            ['Wave', 'left'],
            ['When', 'left'],
            ['Run', 'left'],
          ]}
          rows={dossiers.data.map((d) => ({
            key: d.id,
            cells: [
              d.kind,
              <Link key="w" component={RouterLink} to={`/waves/${d.wave}`}>
                {d.wave}
              </Link>,
              moment(d.at),
              d.run,
            ],
          }))}
          none="No move has ended yet. A test cutover makes the first one."
        />
        )}
      </Panel>
    </Box>
  );
}
