import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { Panel } from '../parts/Panel';
import { Trouble } from '../parts/Trouble';

/** Changes the own password. */
export function Password() {
  const client = useQueryClient();
  const [current, setCurrent] = useState('');
  const [password, setPassword] = useState('');
  const change = useMutation({
    mutationFn: () => answer(api.PUT('/api/v1/me/password', { body: { current, password } })),
    onSuccess: async () => {
      setCurrent('');
      setPassword('');
      await client.invalidateQueries({ queryKey: ['tokens'] });
    },
  });
  return (
    <Panel title="Your password" note="12 characters or more; your other sessions end">
      <Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}
      >
        <TextField size="small" type="password" label="Present password" autoComplete="current-password" value={current} onChange={(e) => setCurrent(e.target.value)} />
        <TextField size="small" type="password" label="New password" autoComplete="new-password" value={password} onChange={(e) => setPassword(e.target.value)} />
        <Button type="submit" variant="outlined" disabled={current === '' || password === '' || change.isPending}>
          Change it
        </Button>
      </Box>
      {change.isSuccess && (
        <Alert severity="success" sx={{ mt: 1 }}>
          The password is new; your other sessions have ended.
        </Alert>
      )}
      {change.error !== null && <Trouble error={change.error} />}
    </Panel>
  );
}
