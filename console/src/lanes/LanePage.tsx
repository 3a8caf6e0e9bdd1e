import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';
import { answer, api, type CsvImport } from '../api';
import { List } from '../machines/Lists';
import { Findings } from '../parts/Findings';
import { May } from '../parts/May';
import { Panel } from '../parts/Panel';
import { Trouble } from '../parts/Trouble';
import { Clients } from './Clients';
import { exportAddresses } from './exported';
import { Ingress } from './Ingress';
import { Link } from './Link';
import { Plan } from './Plan';
import { Rules } from './Rules';
import { Shores } from './Shores';
import { Spans } from './Spans';
import { Suggestions } from './Suggestions';

/** One lane: both shores, where each machine goes, and all that is decided. */
export function LanePage() {
  const ref = useParams().lane ?? '';
  const { data: lane, error } = useQuery({ queryKey: ['lanes', ref], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}', { params: { path: { lane: ref } } })) });
  if (lane === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const give = (body: CsvImport) => answer(api.POST('/api/v1/lanes/{lane}/addresses', { params: { path: { lane: lane.id } }, body }));
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: 'minmax(0, 1fr)' }}>
      <Panel title={`Lane ${lane.name}`} note={`${lane.from} to ${lane.to}`}>
        <Shores lane={lane} />
        <Findings findings={lane.findings} none="Everything at the source is joined." />
        {lane.findings.some((f) => f.code.endsWith('-not-joined')) && <Suggestions lane={lane} />}
      </Panel>
      <Panel title="Where each machine goes">
        <Plan lane={lane} />
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'flex-start', mt: 1 }}>
          <Button variant="outlined" onClick={() => void exportAddresses(lane)}>
            Address plan as CSV
          </Button>
          <May roles="planner">
            <List title="Import an address plan" give={give} things="cards" columns="machine, card, subnet, address" />
          </May>
        </Box>
      </Panel>
      <Panel title="The link" note="what the way between the sites carries, as passes use it">
        <Link lane={lane} />
      </Panel>
      <Panel title="Who connects to addresses that change">
        <Clients lane={lane} />
      </Panel>
      <Panel title="Ranges at both ends" note="machines of one reach each other from different ends only where its network is extended">
        <Spans lane={lane} />
      </Panel>
      <Panel title="Who is let in">
        <Ingress lane={lane} />
      </Panel>
      <Panel title="Decisions" note="the more specific one counts">
        <Rules lane={lane} />
      </Panel>
    </Box>
  );
}
