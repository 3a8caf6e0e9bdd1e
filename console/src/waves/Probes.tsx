import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, ApiProblem, ownProblem, type Probe } from '../api';
import { secondsOf, shortDuration } from '../format';
import { NextStep } from '../parts/NextStep';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const KINDS: [string, string][] = [
  ['http', 'A response over HTTP'],
  ['tcp', 'An accepted connection'],
  ['none', 'Nothing: to be on is enough'],
];

/** Changes how one machine is probed. */
function Editor({ wave, probe, onClose }: { wave: string; probe: Probe; onClose: () => void }) {
  const client = useQueryClient();
  const [kind, setKind] = useState(probe.kind);
  const [port, setPort] = useState(probe.port === 0 ? '' : String(probe.port));
  const [path, setPath] = useState(probe.path);
  const [within, setWithin] = useState(shortDuration(probe.withinSeconds));
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const seconds = secondsOf(within);
  const save = async () => {
    try {
      await answer(
        api.PUT('/api/v1/waves/{wave}/probes', {
          params: { path: { wave } },
          body: { machine: probe.machine, kind, port: port === '' ? 0 : Number(port), path, withinSeconds: seconds ?? null },
        }),
      );
      await client.invalidateQueries({ queryKey: ['wave'] });
      onClose();
    } catch (e) {
      setProblem(e instanceof ApiProblem ? e : new ApiProblem(ownProblem(0, 'failed', String(e), '')));
    }
  };
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth transitionDuration={0}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <DialogTitle>Probe of {probe.machine}</DialogTitle>
        <DialogContent sx={{ display: 'grid', gap: 2 }}>
          <TextField select size="small" sx={{ mt: 1 }} label="What counts as an answer" value={kind} onChange={(e) => setKind(e.target.value)}>
            {KINDS.map(([word, text]) => (
              <MenuItem key={word} value={word}>
                {text}
              </MenuItem>
            ))}
          </TextField>
          {kind === 'http' && <TextField size="small" label="Path" value={path} onChange={(e) => setPath(e.target.value)} />}
          {kind !== 'none' && (
            <TextField
              size="small"
              label="Port of the guest"
              value={port}
              error={!/^\d*$/.test(port)}
              onChange={(e) => setPort(e.target.value)}
              helperText={probe.seen.length === 0 ? 'Empty: the one that its site knows' : `Empty: the one that its site knows. Seen serving: ${probe.seen.join(', ')}`}
            />
          )}
          <TextField size="small" label="Time from its start" value={within} error={seconds === undefined} onChange={(e) => setWithin(e.target.value)} helperText="As 90s, 5m or 1h" />
          {problem !== null && (
            <Alert severity="error">
              {problem.problem.detail}.<NextStep before=" Next: " remedy={problem.problem.remedy} />
            </Alert>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={seconds === undefined || !/^\d*$/.test(port)}>
            Save
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** How it is seen that the machines of a wave do their work once they are started. */
export function Probes({ wave }: { wave: string }) {
  const { data, error } = useQuery({ queryKey: ['wave', wave, 'probes'], queryFn: () => answer(api.GET('/api/v1/waves/{wave}/probes', { params: { path: { wave } } })) });
  const [edited, setEdited] = useState<Probe | null>(null);
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Box>
      <Rows
        heads={[
          ['Machine', 'left'],
          ['Answer', 'left'],
          ['Port', 'left'],
          ['Within', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((p) => ({
          key: p.machine,
          cells: [
            p.machine,
            p.kind === 'http' ? `HTTP ${p.path}` : (KINDS.find(([word]) => word === p.kind)?.[1] ?? p.kind),
            p.kind === 'none' ? '' : p.port === 0 ? 'as its site knows' : String(p.port),
            shortDuration(p.withinSeconds),
            <May key="e" roles="planner mover" own><Button size="small" aria-label={`Change the probe of ${p.machine}`} onClick={() => setEdited(p)}>
              Change
            </Button></May>,
          ],
        }))}
        none="No machines."
      />
      {edited !== null && <Editor wave={wave} probe={edited} onClose={() => setEdited(null)} />}
    </Box>
  );
}
