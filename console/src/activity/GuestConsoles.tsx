import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { answer, api } from '../api';
import { clock } from '../format';
import { NextStep } from '../parts/NextStep';
import { Status } from '../parts/Status';

/** Text that grows at its end; what is seen stays at the end while it does. */
function Growing({ label, text }: { label: string; text: string }) {
  const box = useRef<HTMLPreElement>(null);
  useEffect(() => {
    if (box.current !== null) {
      box.current.scrollTop = box.current.scrollHeight;
    }
  }, [text]);
  return (
    <Box
      component="pre"
      ref={box}
      role="log"
      aria-label={label}
      tabIndex={0}
      sx={{ m: 0, mt: 0.5, p: 1, maxHeight: 260, overflow: 'auto', fontFamily: 'monospace', fontSize: 12, lineHeight: 1.35, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere', border: 1, borderColor: 'divider' }}
    >
      {text}
    </Box>
  );
}

/** What the guests that a run starts write to their serial consoles, and what that says of their start. */
export function GuestConsoles({ run }: { run: string }) {
  const { data } = useQuery({ queryKey: ['consoles', run], queryFn: () => answer(api.GET('/api/v1/runs/{run}/consoles', { params: { path: { run } } })) });
  return (data ?? []).map((c) => (
    <Box key={c.machine} sx={{ mt: 1 }}>
      <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography sx={{ fontWeight: 600 }}>Console of {c.machine}</Typography>
        <Typography color="text.secondary">
          at {c.site}, changed {clock(c.at)}
        </Typography>
      </Box>
      {c.sign !== '' && (
        <Typography component="div">
          <Status tone={c.end ? 'bad' : 'plain'}>{c.cause}</Status>
          {c.end && <NextStep before=". Next: " remedy={c.remedy} />}
        </Typography>
      )}
      <Growing label={`Console of ${c.machine}`} text={c.text} />
    </Box>
  ));
}
