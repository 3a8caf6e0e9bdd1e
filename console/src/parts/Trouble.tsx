import Alert from '@mui/material/Alert';
import { ApiProblem } from '../api';
import { NextStep } from './NextStep';

/** A page's data could not be read: the thing, the cause, the next step. */
export function Trouble({ error }: { error: Error }) {
  return (
    <Alert severity="error">
      {error.message}
      {error instanceof ApiProblem && <NextStep before=". Next: " remedy={error.problem.remedy} />}
    </Alert>
  );
}
