import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import type { Refit } from '../api';
import { clock } from '../format';
import { Status } from '../parts/Status';
import { May } from '../parts/May';

function Lines({ text }: { text: string }) {
  return (
    <Box component="pre" sx={{ m: 0, mt: 0.25, p: 0.75, bgcolor: 'action.hover', fontSize: '0.85em', whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
      {text.trimEnd()}
    </Box>
  );
}

function tone(r: Refit): 'waiting' | 'bad' | 'good' {
  if (r.lookedAt === null) {
    return 'waiting';
  }
  return r.refused.length > 0 && r.word === '' ? 'bad' : 'good';
}

/** What guests need changed to start at the other side: each file with its reason and what changes in it. */
export function RefitPlans({
  plans,
  canLook,
  onLook,
  onOffer,
}: {
  plans: Refit[];
  canLook: boolean;
  onLook: () => void;
  onOffer: (machine: string, offer: string, accepted: boolean) => void;
}) {
  return (
    <Box>
      {plans.map((r) => (
        <Box key={r.machine} sx={{ mb: 1 }}>
          <Box sx={{ display: 'flex', columnGap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
            <Typography sx={{ fontWeight: 600 }}>{r.machine}</Typography>
            <Status tone={tone(r)} wrap>
              {r.summary}
            </Status>
            {r.lookedAt !== null && (
              <Typography color="text.secondary">
                {r.os === '' ? '' : `${r.os}, ${r.firmware}; `}point {r.point}, looked into at {clock(r.lookedAt)}
                {r.throughYard ? ' through a yard' : ''}
              </Typography>
            )}
          </Box>
          {r.edits.map((e) => (
            <Box component="details" key={`${e.disk} ${e.partition} ${e.path}`} sx={{ ml: 1, mt: 0.25 }}>
              <summary>
                <code>{e.path}</code> on disk {e.disk}, partition {e.partition}: {e.reason}
              </summary>
              <Lines text={e.difference} />
            </Box>
          ))}
          {r.refused.map((text) => (
            <Typography key={text} color="error.main">
              In the way: {text}
            </Typography>
          ))}
          {r.unjudged.map((text) => (
            <Typography key={text} color="text.secondary">
              Not judged: {text}
            </Typography>
          ))}
          {r.offers.map((o) => (
            <Box key={o.name} sx={{ display: 'flex', columnGap: 1, alignItems: 'baseline', flexWrap: 'wrap' }}>
              <Typography color="text.secondary">
                {o.accepted ? 'Added' : 'Offered'}: {o.name}: {o.what}
              </Typography>
              <May roles="planner mover" own><Button size="small" aria-label={`${o.accepted ? 'Leave out' : 'Add'} ${o.name} for ${r.machine}`} onClick={() => onOffer(r.machine, o.name, !o.accepted)}>
                {o.accepted ? 'Leave out' : 'Add'}
              </Button></May>
            </Box>
          ))}
          {r.word !== '' && <Typography>May move all the same, says {r.word}</Typography>}
        </Box>
      ))}
      {canLook && (
        <May roles="planner mover" own><Button size="small" variant="outlined" onClick={onLook}>
          Look into the guests
        </Button></May>
      )}
    </Box>
  );
}
