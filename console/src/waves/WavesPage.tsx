import Box from '@mui/material/Box';
import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { useNow } from '../live';
import { Gates } from '../overview/Gates';
import { Panel } from '../parts/Panel';
import { Trouble } from '../parts/Trouble';
import { WaveTable } from './WaveTable';

/** All waves: where each stands and what comes next. */
export function WavesPage() {
  const { data, error } = useQuery({ queryKey: ['overview'], queryFn: () => answer(api.GET('/api/v1/overview')) });
  const now = useNow(data?.now ?? new Date(0).toISOString());
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      <Panel title="Waves" note={`${data.planned} of ${data.machines} machines are in one`}>
        <WaveTable waves={data.waves} passed={Math.max(0, (now - Date.parse(data.now)) / 1000)} next />
      </Panel>
      <Panel title="Their machines along the gates" note={`${data.planned} machines`}>
        <Gates gates={data.gates} planned={data.planned} />
      </Panel>
    </Box>
  );
}
