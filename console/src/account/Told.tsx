import Alert from '@mui/material/Alert';
import Box from '@mui/material/Box';

/** A secret that is told once. */
export function Told({ what, secret, onClose }: { what: string; secret: string; onClose: () => void }) {
  return (
    <Alert severity="info" onClose={onClose} sx={{ mt: 1 }}>
      {what}, told this once:{' '}
      <Box component="code" sx={{ userSelect: 'all', wordBreak: 'break-all' }}>
        {secret}
      </Box>
    </Alert>
  );
}
