import Alert from '@mui/material/Alert';
import { ApiProblem } from '../api';

/** A page's data could not be read: the thing, the cause, the next step. */
export function Trouble({ error }: { error: Error }) {
  return (
    <Alert severity="error">
      {error.message} {error instanceof ApiProblem && error.problem.remedy !== '' && `Next: ${error.problem.remedy}`}
    </Alert>
  );
}
