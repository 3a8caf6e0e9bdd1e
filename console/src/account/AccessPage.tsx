import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { Trouble } from '../parts/Trouble';
import { Accounts } from './Accounts';
import { Audit } from './Audit';
import { Password } from './Password';
import { Provider } from './Provider';
import { Tokens } from './Tokens';

/** Who is signed in, with what, and, for keepers, everybody else. */
export function AccessPage() {
  const { data: me, error } = useQuery({ queryKey: ['me'], queryFn: () => answer(api.GET('/api/v1/me')) });
  if (me === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const keeper = me.roles.includes('keeper');
  return (
    <Box sx={{ display: 'flex', flexDirection: 'column', gap: 2 }}>
      <Box>
        <Typography variant="h1">Access</Typography>
        <Typography color="text.secondary">
          You are {me.account}: {me.roles.join(', ')}
          {me.machines !== '' && `, for the machines of “${me.machines}” only`}
        </Typography>
      </Box>
      <Tokens keeper={keeper} roles={me.roles} />
      <Password />
      {keeper && <Accounts />}
      {keeper && <Provider />}
      {keeper && <Audit />}
    </Box>
  );
}
