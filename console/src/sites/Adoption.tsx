import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { moment } from '../format';
import { Findings } from '../parts/Findings';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

/** Asks what is to be known before a wave is taken over. */
function Take({ site, wave, onClose }: { site: string; wave: { wave: string; tow: string; asOf: string | null }; onClose: (done: boolean) => void }) {
  const client = useQueryClient();
  const [typed, setTyped] = useState('');
  const [serviceGone, setServiceGone] = useState(false);
  const [removeMachines, setRemoveMachines] = useState(false);
  const take = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/sites/{site}/adoption', { params: { path: { site } }, body: { confirm: typed, waves: [wave.tow], serviceGone, removeMachines } })),
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose(true);
    },
  });
  return (
    <Dialog open onClose={() => onClose(false)} maxWidth="sm" fullWidth transitionDuration={0}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          take.mutate();
        }}
      >
        <DialogTitle>Take over {wave.wave}</DialogTitle>
        <DialogContent>
          <p style={{ marginTop: 0 }}>
            This service keeps the wave from now on, with the points at {site}
            {wave.asOf !== null && `, the newest as of ${moment(wave.asOf)}`}. Nothing runs or is replicated until you say so. The service that made them changes nothing any more, should it come back.
          </p>
          <FormControlLabel control={<Checkbox checked={serviceGone} onChange={(e) => setServiceGone(e.target.checked)} />} label="The service that made them is gone for good" />
          <FormControlLabel control={<Checkbox checked={removeMachines} onChange={(e) => setRemoveMachines(e.target.checked)} />} label="Remove machines that a move left there switched off; their disks stay" />
          <TextField autoFocus fullWidth size="small" label={`Type the site's name: ${site}`} value={typed} onChange={(e) => setTyped(e.target.value)} autoComplete="off" sx={{ mt: 1.5 }} />
          {take.error !== null && <Trouble error={take.error} />}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => onClose(false)}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={typed !== site || take.isPending}>
            Take over
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** Waves that another service, which is lost, replicated to a site. */
export function Adoption({ site }: { site: string }) {
  const look = useMutation({ mutationFn: () => answer(api.GET('/api/v1/sites/{site}/adoption', { params: { path: { site } } })) });
  const [open, setOpen] = useState('');
  const waves = look.data?.waves ?? [];
  const taken = waves.find((w) => w.tow === open);
  return (
    <Panel title="Waves of other services" note="where the service that replicated to this site is lost, this one takes its waves over" wide>
      <Button variant="outlined" disabled={look.isPending} onClick={() => look.mutate()}>
        Look for them
      </Button>
      {look.error !== null && <Trouble error={look.error} />}
      {look.data !== undefined && (
        <Box sx={{ mt: 1.5 }}>
          <Rows
            heads={[
              ['Wave', 'left'],
              ['From', 'left'],
              ['Machines', 'left'],
              ['Points', 'right'],
              ['Newest point of', 'left'],
              ['Verified', 'left'],
              ['Its machines', 'left'],
              ['', 'right'],
            ]}
            rows={waves.map((w) => ({
              key: w.tow,
              cells: [
                w.wave,
                `${w.from} at ${w.fromAddress}`,
                w.machines.join(', '),
                String(w.points),
                w.asOf === null ? 'none' : moment(w.asOf),
                w.verified,
                w.runsHere ? 'run here' : 'do not run here',
                <Button key="t" size="small" disabled={w.points === 0} onClick={() => setOpen(w.tow)}>
                  Take over
                </Button>,
              ],
            }))}
            none="None is here."
          />
          {waves.length > 0 && <Findings findings={waves.flatMap((w) => w.findings)} none="Nothing is in the way." />}
          {look.data.left.length > 0 && <Alert severity="info" sx={{ mt: 1 }}>{look.data.left.length === 1 ? '1 other thing of theirs stays as it is.' : `${look.data.left.length} other things of theirs stay as they are.`}</Alert>}
        </Box>
      )}
      {taken !== undefined && (
        <Take
          site={site}
          wave={taken}
          onClose={(done) => {
            setOpen('');
            if (done) {
              look.mutate();
            }
          }}
        />
      )}
    </Panel>
  );
}
