import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { duration, size } from '../format';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const DAYS = 14;

/** How replication went on the last days that had passes. */
export function PassDays({ wave }: { wave: string }) {
  const { data, error } = useQuery({
    queryKey: ['passes', wave, 'days'],
    queryFn: () => answer(api.GET('/api/v1/waves/{wave}/days', { params: { path: { wave }, query: { size: DAYS } } })),
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Rows
      heads={[
        ['Day (UTC)', 'left'],
        ['Passes', 'right'],
        ['Failed', 'right'],
        ['Read', 'right'],
        ['Sent', 'right'],
        ['Longest exposure', 'right'],
        ['Over the RPO', 'left'],
      ]}
      rows={data.map((d) => ({
        key: d.day,
        cells: [
          d.day,
          d.passes,
          d.failed,
          size(d.read),
          size(d.sent),
          d.longestExposureSeconds === null ? '' : duration(d.longestExposureSeconds),
          <Status key="o" tone={d.overRpoSeconds > 0 ? 'bad' : 'good'}>
            {d.overRpoSeconds > 0 ? duration(d.overRpoSeconds) : 'held'}
          </Status>,
        ],
      }))}
      none="No passes yet."
    />
  );
}
