import { useQuery } from '@tanstack/react-query';
import { answer, api, type Lane } from '../api';
import { moment } from '../format';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const MOST = 100;

/** Who was seen to connect to an address that changes: what has to be changed where. */
export function Clients({ lane }: { lane: Lane }) {
  const { data, error } = useQuery({
    queryKey: ['lanes', lane.id, 'clients', lane.revision],
    queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/clients', { params: { path: { lane: lane.id }, query: { page: 0, size: MOST } } })),
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <>
      <Rows
        heads={[
          ['Machine', 'left'],
          ['Address', 'left'],
          ['Becomes', 'left'],
          ['Port', 'right'],
          ['Client', 'left'],
          ['Process', 'left'],
          ['Times', 'right'],
          ['Last seen', 'left'],
        ]}
        rows={data.items.map((c) => ({
          key: [c.address, c.client, c.protocol, c.port, c.process].join(' '),
          cells: [c.machine, c.address, c.becomes, c.port, c.clientMachine === '' ? c.client : `${c.clientMachine} (${c.client})`, c.process, c.count, moment(c.lastSeen)],
        }))}
        none="Nobody was seen to connect to an address that changes."
      />
      {data.total > MOST && `The first ${MOST} of ${data.total}; all of them: bargelane lane clients ${lane.name} --output csv`}
    </>
  );
}
