import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

/** The estate along the gates: how many of the planned machines have each gate open. */
export function Gates({ gates, planned }: { gates: Record<string, number>; planned: number }) {
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(8, 1fr)', gap: 0.5 }}>
      {Object.entries(gates).map(([gate, count]) => (
        <Box key={gate} sx={{ textAlign: 'center' }}>
          <Box sx={{ height: 56, display: 'flex', alignItems: 'flex-end', bgcolor: 'background.default' }} aria-hidden="true">
            <Box sx={{ width: '100%', height: planned === 0 ? 0 : `${(100 * count) / planned}%`, bgcolor: 'water', borderTop: count > 0 ? 2 : 0, borderColor: 'primary.main' }} />
          </Box>
          <Typography sx={{ fontVariantNumeric: 'tabular-nums', fontWeight: 600 }}>
            {count}/{planned}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {gate}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
