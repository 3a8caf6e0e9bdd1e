import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Paper from '@mui/material/Paper';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { answer, api, ApiProblem, remember } from '../api';

export function SignIn({ onSignedIn }: { onSignedIn: () => void }) {
  const [account, setAccount] = useState('engineer');
  const [password, setPassword] = useState('');
  const [problem, setProblem] = useState('');
  const signIn = async () => {
    try {
      const me = await answer(api.POST('/api/v1/sign-in', { body: { account, password } }));
      remember(me.csrf);
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
        </form>
      </Paper>
    </Box>
  );
}
