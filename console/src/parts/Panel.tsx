import Box from '@mui/material/Box';
import Paper from '@mui/material/Paper';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** A titled part of a page. */
export function Panel({ title, note, wide = false, children }: { title: string; note?: ReactNode; wide?: boolean; children: ReactNode }) {
  return (
    <Paper component="section" aria-label={title} sx={{ p: 1.5, minWidth: 0, gridColumn: wide ? '1 / -1' : 'auto' }}>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'baseline', gap: 2, mb: 1 }}>
        <Typography variant="h2">{title}</Typography>
        <Typography component="span" variant="body2" color="text.secondary">
          {note}
        </Typography>
      </Box>
      {children}
    </Paper>
  );
}
