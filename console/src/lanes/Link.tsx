import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { answer, api, type Lane, type Link as View } from '../api';
import { moment, shortDuration, size } from '../format';
import { May } from '../parts/May';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const TIB = 2 ** 40;
const millis = (micros: number | null) => (micros === null ? '' : `${(micros / 1000).toFixed(micros < 10_000 ? 2 : 0)} ms`);

/** How fast bytes are copied from an end to the other, and what that means for a large disk. */
function rate(bytes: number | null) {
  return bytes === null ? 'not measured' : `${size(bytes)}/s; 1 TiB takes ${shortDuration(TIB / Math.max(1, bytes))}`;
}

function rows(link: View) {
  return [
    { end: link.from, copied: link.there, to: link.to.site },
    { end: link.to, copied: link.back, to: link.from.site },
  ].map(({ end, copied, to }) => ({
    key: end.site,
    cells: [
      end.site,
      end.problem === '' ? (
        <Status key="s" tone="good">
          reached
        </Status>
      ) : (
        <Status key="s" tone="bad">
          {end.problem}
        </Status>
      ),
      millis(end.answers),
      end.disks === 'connection' ? 'the same connection' : end.disks,
      millis(end.delay),
      `to ${to}: ${rate(copied)}`,
    ],
  }));
}

/** What the way between the sites carries, as it was measured last. */
export function Link({ lane }: { lane: Lane }) {
  const client = useQueryClient();
  const params = { path: { lane: lane.id } };
  const { data: link, error } = useQuery({ queryKey: ['links', lane.id], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/link', { params })) });
  const measure = useMutation({ mutationFn: () => answer(api.POST('/api/v1/lanes/{lane}/link', { params })), onSettled: () => client.invalidateQueries({ queryKey: ['links'] }) });
  if (link === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <>
      {link.measuredAt === null ? (
        <Typography color="text.secondary">Not measured yet.</Typography>
      ) : (
        <Rows
          heads={[
            ['Site', 'left'],
            ['From the service', 'left'],
            ['Answers in', 'right'],
            ['Disks at', 'left'],
            ['A disk answers in', 'right'],
            ['Copies', 'left'],
          ]}
          rows={rows(link)}
          none=""
        />
      )}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mt: 1 }}>
        <May roles="planner">
          <Button variant="outlined" size="small" disabled={measure.isPending || link.run !== ''} onClick={() => measure.mutate()}>
            Measure it
          </Button>
        </May>
        <Typography variant="body2" color="text.secondary">
          {link.run !== '' ? 'It is being measured.' : link.measuredAt === null ? 'Takes about ten seconds of all that the link carries.' : `Measured ${moment(link.measuredAt)}.`}
        </Typography>
      </Box>
      {measure.error !== null && <Trouble error={measure.error} />}
    </>
  );
}
