import Box from '@mui/material/Box';

export type Tone = 'good' | 'waiting' | 'working' | 'bad' | 'plain';

const COLOUR: Record<Tone, string> = { good: 'success.main', waiting: 'text.secondary', working: 'info.main', bad: 'error.main', plain: 'text.primary' };

/** The shape of each tone: filled disc, open ring, half disc, triangle, dash. */
function Shape({ tone }: { tone: Tone }) {
  switch (tone) {
    case 'good':
      return <circle cx="6" cy="6" r="4.5" fill="currentColor" />;
    case 'waiting':
      return <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="1.5" />;
    case 'working':
      return (
        <>
          <circle cx="6" cy="6" r="4" fill="none" stroke="currentColor" strokeWidth="1.5" />
          <path d="M6 1.5a4.5 4.5 0 0 1 0 9z" fill="currentColor" />
        </>
      );
    case 'bad':
      return <path d="M6 1l5.5 10H.5z" fill="currentColor" />;
    default:
      return <path d="M1.5 6h9" stroke="currentColor" strokeWidth="2" />;
  }
}

/** A status is always a word and a shape, never colour alone. */
export function Status({ tone, wrap = false, children }: { tone: Tone; wrap?: boolean; children: string }) {
  return (
    <Box component="span" sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75, color: COLOUR[tone], whiteSpace: wrap ? 'normal' : 'nowrap' }}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        <Shape tone={tone} />
      </svg>
      <span>{children}</span>
    </Box>
  );
}

/** How a run's or step's state is shown. */
export function toneOf(state: string): Tone {
  switch (state) {
    case 'done':
    case 'complete':
    case 'replicating':
    case 'landed':
    case 'settled':
      return 'good';
    case 'failed':
    case 'diverged':
      return 'bad';
    case 'running':
    case 'backing out':
    case 'moving':
    case 'loading':
    case 'testing':
    case 'settling':
    case 'leased':
    case 'ready':
    case 'shipped':
      return 'working';
    default:
      return 'waiting';
  }
}
