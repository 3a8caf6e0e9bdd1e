import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, ApiProblem, remember } from '../api';

/** Why the identity provider's answer let nobody in: the address says the code only. */
const REFUSED: Record<string, string> = {
  'provider-refused': 'The identity provider did not let you in, or what it says can not be trusted',
  'provider-no-role': 'You are in no group that may do anything here. Next: ask a keeper, or who keeps the groups',
  'provider-unreachable': 'The service does not reach the identity provider. Next: sign in with a password, or try again',
  'provider-none': 'There is no identity provider to sign in through',
  'account-exists': 'Your name there is that of somebody else here. Next: ask a keeper',
  'account-name-invalid': 'Your name there can not be the name of an account. Next: ask a keeper',
  'sign-in-not-begun': 'This browser did not begin the sign-in, or it took longer than ten minutes. Next: sign in again',
  'sign-in-waits': 'There were too many sign-ins that failed. Next: wait a minute, then try again',
};

function refusal(): string {
  const code = new URLSearchParams(window.location.search).get('refused');
  return code === null ? '' : (REFUSED[code] ?? 'The sign-in through the identity provider failed. Next: the log of the service says why');
}

export function SignIn({ onSignedIn }: { onSignedIn: () => void }) {
  const [account, setAccount] = useState('engineer');
  const [password, setPassword] = useState('');
  const [problem, setProblem] = useState(refusal);
  const ways = useQuery({ queryKey: ['ways'], queryFn: () => answer(api.GET('/api/v1/sign-in')), retry: false });
  const provider = ways.data?.provider ?? '';
  const signIn = async () => {
    try {
      const me = await answer(api.POST('/api/v1/sign-in', { body: { account, password } }));
      remember(me.csrf);
      window.history.replaceState(null, '', window.location.pathname);
      onSignedIn();
    } catch (e) {
      setProblem(e instanceof ApiProblem ? `${e.problem.detail}. Next: ${e.problem.remedy.advice}` : String(e));
    }
  };
  return (
    <Box component="main" sx={{ minHeight: '100vh', display: 'grid', placeItems: 'center', p: 2 }}>
      <Paper sx={{ p: 3, width: 360 }}>
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void signIn();
          }}
        >
          <Typography variant="h1" sx={{ mb: 2 }}>
            Barge Lane
          </Typography>
          <TextField fullWidth margin="dense" size="small" label="Account" value={account} onChange={(e) => setAccount(e.target.value)} autoComplete="username" />
          <TextField fullWidth margin="dense" size="small" label="Password" type="password" autoFocus value={password} onChange={(e) => setPassword(e.target.value)} autoComplete="current-password" />
          {problem !== '' && (
            <Alert severity="error" sx={{ mt: 1 }}>
              {problem}
            </Alert>
          )}
          <Button fullWidth type="submit" variant="contained" sx={{ mt: 2 }}>
            Sign in
          </Button>
          {provider !== '' && (
            <Button fullWidth variant="outlined" sx={{ mt: 1 }} href="/api/v1/sign-in/begin">
              Sign in with {provider}
            </Button>
          )}
        </form>
      </Paper>
    </Box>
  );
}
