import Alert from '@mui/material/Alert';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { ApiProblem, ownProblem } from '../api';
import { NextStep } from '../parts/NextStep';
import type { Action } from './actions';

interface Props {
  wave: string;
  action: Action;
  onRun: (typed: string) => Promise<unknown>;
  onClose: () => void;
}

/** Says what an action will do; what changes machines in production wants the wave's name typed. */
export function ActionDialog({ wave, action, onRun, onClose }: Props) {
  const [typed, setTyped] = useState('');
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [busy, setBusy] = useState(false);
  const run = async () => {
    setBusy(true);
    try {
      await onRun(typed);
      onClose();
    } catch (e) {
      setProblem(e instanceof ApiProblem ? e : new ApiProblem(ownProblem(0, 'failed', String(e), '')));
      setBusy(false);
    }
  };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth transitionDuration={0}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void run();
        }}
      >
        <DialogTitle>{action.title}</DialogTitle>
        <DialogContent>
          <Typography sx={{ mb: 2 }}>{action.explain}</Typography>
          {action.confirm && <TextField autoFocus fullWidth size="small" label={`Type the wave's name: ${wave}`} value={typed} onChange={(e) => setTyped(e.target.value)} autoComplete="off" />}
          {problem !== null && (
            <Alert severity="error" sx={{ mt: 2 }}>
              {problem.problem.detail}.<NextStep before=" Next: " remedy={problem.problem.remedy} />
            </Alert>
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={busy || (action.confirm && typed !== wave)}>
            {action.title}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
