import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { Findings } from '../parts/Findings';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Suggestions } from './Suggestions';
import { Trouble } from '../parts/Trouble';

/** What is joined to what, from one shore to the other and back. */
function Joins({ title, out, back, from, to }: { title: string; out: Record<string, string>; back: Record<string, string>; from: string; to: string }) {
  return (
    <Box sx={{ minWidth: 0 }}>
      <Typography sx={{ fontWeight: 600, mb: 0.5 }}>{title}</Typography>
      <Rows
        heads={[
          [`At ${from}`, 'left'],
          [`At ${to}`, 'left'],
          [`Back at ${from}`, 'left'],
        ]}
        rows={Object.entries(out).sort().map(([a, b]) => ({ key: a, cells: [a, b, back[b] ?? 'not joined'] }))}
        none="Nothing is joined yet."
      />
    </Box>
  );
}

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
        <Panel key={lane.id} title={`Lane ${lane.name}`} note={`${lane.from} to ${lane.to}; ${lane.keepAddresses ? 'addresses are kept where they fit' : 'addresses are chosen'}${lane.zone === '' ? '' : `; zone ${lane.zone}`}`}>
          <Box sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' }, gap: 3, mb: 1.5 }}>
            <Joins title="Networks" out={lane.networks} back={lane.reverseNetworks} from={lane.from} to={lane.to} />
            <Joins title="Storage" out={lane.storages} back={lane.reverseStorages} from={lane.from} to={lane.to} />
          </Box>
          <Findings findings={lane.findings} none="Everything at the source is joined." />
          {lane.findings.length > 0 && <Suggestions lane={lane} />}
        </Panel>
      ))}
    </Box>
  );
}
