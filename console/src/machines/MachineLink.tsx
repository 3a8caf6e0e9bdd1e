import Link from '@mui/material/Link';
import { Link as RouterLink } from 'react-router';

/** A machine's name that leads to its page. */
export function MachineLink({ id, name }: { id: string; name: string }) {
  return (
    <Link component={RouterLink} to={`/machines/${id}`}>
      {name}
    </Link>
  );
}
