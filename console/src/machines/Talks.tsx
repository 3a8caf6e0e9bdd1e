import Box from '@mui/material/Box';
import { useQuery } from '@tanstack/react-query';
import { answer, api, type End, type Machine } from '../api';
import { moment, portGrid, size } from '../format';
import { MachineLink } from './MachineLink';
import { Panel } from '../parts/Panel';
import { PortGrid } from './PortGrid';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const MOST = 500;
const PEERS = 14;
const PORTS = 12;
const TABLED = 15;

const told = (end: End) => (end.machineId === null || end.machine === null ? end.address : <MachineLink id={end.machineId} name={end.machine} />);

/** Who a machine talks to, drawn and listed. */
export function Talks({ machine }: { machine: Machine }) {
  const { data, error } = useQuery({ queryKey: ['connections', machine.id], queryFn: () => answer(api.GET('/api/v1/connections', { params: { query: { machine: machine.id, size: MOST } } })) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const { hidden } = portGrid(data.items, machine.id, PEERS, PORTS);
  return (
    <Panel title="Talks to" note={data.items.length === 0 ? '' : `▶ it calls, ◀ it is called, ◆ both; larger is more bytes${hidden > 0 ? `; ${hidden} more with fewer bytes are not drawn` : ''}`} wide>
      {data.items.length > 0 && <PortGrid name={machine.name} connections={data.items} machine={machine.id} rows={PEERS} columns={PORTS} />}
      <Box sx={{ mt: 1 }}>
        <Rows
          heads={[
            ['Client', 'left'],
            ['Server', 'left'],
            ['Port', 'left'],
            ['Process', 'left'],
            ['Connections', 'right'],
            ['Bytes', 'right'],
            ['First seen', 'left'],
            ['Last seen', 'left'],
          ]}
          rows={data.items.slice(0, TABLED).map((c, i) => ({
            key: String(i),
            cells: [told(c.client), told(c.server), `${c.protocol} ${c.port}`, c.process, c.count.toLocaleString(), size(c.bytes), moment(c.firstSeen), moment(c.lastSeen)],
          }))}
          none="No connections are known. A scan of a site that watches them brings them."
        />
        {data.total > TABLED && `The ${TABLED} with most bytes of ${data.total}; all: bargelane connection list --machine ${machine.name}`}
      </Box>
    </Panel>
  );
}
