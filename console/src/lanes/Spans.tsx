import { useQuery } from '@tanstack/react-query';
import { answer, api, type Lane } from '../api';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

/** Networks whose range is at both ends: who of them reach each other while some have moved. */
export function Spans({ lane }: { lane: Lane }) {
  const { data, error } = useQuery({
    queryKey: ['lanes', lane.id, 'spans', lane.revision],
    queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/spans', { params: { path: { lane: lane.id } } })),
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Rows
      heads={[
        ['Network', 'left'],
        ['Range', 'left'],
        ['Subnet', 'left'],
        ['Between the sites', 'left'],
        ['Staying', 'right'],
        ['Moved', 'right'],
        ['Waves', 'right'],
        ['Pairs across waves', 'right'],
      ]}
      rows={data.map((n) => ({
        key: n.network,
        cells: [
          n.name,
          n.range,
          n.subnet,
          n.span === '' ? (
            <Status key="s" tone={n.across > 0 ? 'bad' : 'plain'}>
              not extended
            </Status>
          ) : (
            <Status key="s" tone="good">
              {n.staying === 0 ? 'extended; it can go' : n.span}
            </Status>
          ),
          n.staying,
          n.moved,
          n.waves,
          n.across,
        ],
      }))}
      none="No range of the source is at the target, too."
    />
  );
}
