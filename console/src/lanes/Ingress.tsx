import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import FormControlLabel from '@mui/material/FormControlLabel';
import Switch from '@mui/material/Switch';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Ingress as View, type Lane } from '../api';
import { May } from '../parts/May';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { useDecide } from './decide';

const SIZE = 50;
const accepted = (v: View) => ({ scope: 'machine', of: v.id, setting: 'ingress', value: v.proposed });
const differs = (v: View) => v.evidence.length > 0 && v.proposed !== v.rules;

/** Rules, one under the other. */
function Lines({ lines }: { lines: string[] }) {
  return (
    <>
      {lines.map((l) => (
        <div key={l}>{l}</div>
      ))}
    </>
  );
}

/** What is let in to each machine at a target that filters, whom that cuts, and what is proposed by what was seen. */
export function Ingress({ lane }: { lane: Lane }) {
  const [page, setPage] = useState(0);
  const [cut, setCut] = useState(true);
  const decide = useDecide(lane);
  const { data, error } = useQuery({
    queryKey: ['lanes', lane.id, 'ingress', lane.revision, page],
    queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/ingress', { params: { path: { lane: lane.id }, query: { filter: '', page, size: SIZE } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (data === undefined) {
    return error === null ? null : <Typography color="text.secondary">{error.message}.</Typography>;
  }
  const shown = data.items.filter((v) => !cut || v.cut > 0);
  const offered = shown.filter(differs);
  return (
    <>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mb: 0.5 }}>
        <FormControlLabel control={<Switch size="small" checked={cut} onChange={(e) => setCut(e.target.checked)} />} label="Only where somebody who was seen is cut" />
        <May roles="planner">
          {offered.length > 1 && (
            <Button size="small" disabled={decide.isPending} onClick={() => decide.mutate(offered.map(accepted))}>
              Accept all {offered.length} that are shown
            </Button>
          )}
        </May>
      </Box>
      <Rows
        heads={[
          ['Machine', 'left'],
          ['Let in', 'left'],
          ['Seen and cut', 'left'],
          ['Proposed', 'left'],
          ['Not seen', 'left'],
          ['', 'right'],
        ]}
        rows={shown.map((v) => ({
          key: v.id,
          cells: [
            v.machine,
            <Lines key="r" lines={[...v.rules.split('; '), v.from === '' ? '(as at the source)' : `(${v.from})`]} />,
            v.cut === 0 ? (
              <Status key="c" tone="good">
                nobody
              </Status>
            ) : (
              <Tooltip key="c" title={v.cutExamples.join(', ')}>
                <span tabIndex={0}>
                  <Status tone="bad">{`${v.cut} ${v.cut === 1 ? 'client' : 'clients'}`}</Status>
                </span>
              </Tooltip>
            ),
            <Lines key="p" lines={v.evidence.map((e) => `${e.rule} (${e.clients} ${e.clients === 1 ? 'client' : 'clients'}, ${e.connections.toLocaleString('en-GB')} connections)`)} />,
            <Lines key="u" lines={v.unused} />,
            <May key="a" roles="planner">
              {differs(v) && (
                <Button size="small" aria-label={`Accept what is proposed for ${v.machine}`} disabled={decide.isPending} onClick={() => decide.mutate([accepted(v)])}>
                  Accept
                </Button>
              )}
            </May>,
          ],
        }))}
        none={cut ? 'Nobody who was seen is cut.' : 'Nothing is let in, and nobody was seen.'}
      />
      {data.total > SIZE && (
        <Box sx={{ display: 'flex', gap: 1, mt: 1, alignItems: 'center' }}>
          <Button size="small" disabled={page === 0} onClick={() => setPage(page - 1)}>
            Before
          </Button>
          <Typography variant="body2">{`machines ${page * SIZE + 1} to ${Math.min((page + 1) * SIZE, data.total)} of ${data.total}`}</Typography>
          <Button size="small" disabled={(page + 1) * SIZE >= data.total} onClick={() => setPage(page + 1)}>
            Next
          </Button>
        </Box>
      )}
      {decide.error !== null && <Trouble error={decide.error} />}
    </>
  );
}
