import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useTheme } from '@mui/material/styles';
import { answer, api, type Lane, type Shore } from '../api';
import { useMay } from '../parts/May';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { useDecide } from './decide';
import { useQuery } from '@tanstack/react-query';

/** Height of a thing on a shore, so that lines meet their ends. */
const ROW = 52;
const WATER = 96;

const said = (s: Shore) => {
  const used = s.kind === 'network' ? `${s.used} ${s.used === 1 ? 'address' : 'addresses'}` : `${s.used} ${s.used === 1 ? 'disk' : 'disks'}`;
  return [s.name === s.id ? '' : s.id, s.detail, used, s.free >= 0 ? `${s.free} free` : ''].filter((x) => x !== '').join(' · ');
};

function Thing({ shore, children }: { shore: Shore; children?: React.ReactNode }) {
  return (
    <Box component="li" sx={{ height: ROW, display: 'flex', alignItems: 'center', gap: 1, px: 1, borderBottom: 1, borderColor: 'divider', minWidth: 0 }}>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography noWrap sx={{ fontWeight: 600 }}>
          {shore.name}
        </Typography>
        <Typography noWrap variant="body2" color="text.secondary">
          {said(shore)}
        </Typography>
      </Box>
      {children}
    </Box>
  );
}

/** One kind of thing on both shores, with a line for each join. */
function Kind({ kind, title, lane, all }: { kind: 'network' | 'storage'; title: string; lane: Lane; all: Shore[] }) {
  const theme = useTheme();
  const plan = useMay('planner');
  const decide = useDecide(lane);
  const near = all.filter((s) => s.side === 'source' && s.kind === kind);
  const far = all.filter((s) => s.side === 'target' && s.kind === kind);
  const place = new Map(far.map((s, i) => [s.id, i]));
  const joined = new Set(near.map((s) => s.to));
  const list = { listStyle: 'none', m: 0, p: 0, border: 1, borderColor: 'divider', borderRadius: 1, minWidth: 0, '& > li:last-of-type': { borderBottom: 0 } };
  return (
    <Box sx={{ mb: 2 }}>
      <Typography sx={{ fontWeight: 600, mb: 0.5 }}>{title}</Typography>
      <Box sx={{ display: 'grid', gridTemplateColumns: `minmax(0, 5fr) ${WATER}px minmax(0, 4fr)`, alignItems: 'start' }}>
        <Box component="ul" aria-label={`${title} at ${lane.from}`} sx={list}>
          {near.map((s) => (
            <Thing key={s.id} shore={s}>
              {plan ? (
                <TextField
                  select
                  size="small"
                  variant="standard"
                  value={s.to !== '' && !place.has(s.to) ? '' : s.to}
                  disabled={decide.isPending}
                  slotProps={{ select: { displayEmpty: true }, htmlInput: { 'aria-label': `${s.name} is joined to` } }}
                  error={s.to === '' || !place.has(s.to)}
                  sx={{ width: 132 }}
                  onChange={(e) => decide.mutate([{ scope: kind, of: s.id, setting: kind === 'network' ? 'subnet' : 'class', value: e.target.value }])}
                >
                  <MenuItem value="">{s.to !== '' && !place.has(s.to) ? `${s.to} is not there` : 'not joined'}</MenuItem>
                  {far.map((t) => (
                    <MenuItem key={t.id} value={t.id}>
                      {t.id}
                    </MenuItem>
                  ))}
                </TextField>
              ) : (
                <Status tone={place.has(s.to) ? 'good' : 'bad'}>{s.to === '' ? 'not joined' : place.has(s.to) ? s.to : `${s.to} is not there`}</Status>
              )}
            </Thing>
          ))}
        </Box>
        <svg aria-hidden width={WATER} height={Math.max(near.length, far.length) * ROW} style={{ display: 'block' }}>
          {near.map((s, i) => {
            const to = place.get(s.to);
            return to === undefined ? (
              <line key={s.id} x1={0} y1={(i + 0.5) * ROW} x2={14} y2={(i + 0.5) * ROW} stroke={theme.palette.text.disabled} strokeWidth={2} strokeDasharray="3 3" />
            ) : (
              <line key={s.id} x1={0} y1={(i + 0.5) * ROW} x2={WATER} y2={(to + 0.5) * ROW} stroke={theme.palette.primary.main} strokeWidth={2} />
            );
          })}
        </svg>
        <Box component="ul" aria-label={`${title} at ${lane.to}`} sx={list}>
          {far.map((s) => (
            <Thing key={s.id} shore={s}>
              {!joined.has(s.id) && (
                <Typography variant="body2" color="text.secondary" noWrap>
                  nothing comes here
                </Typography>
              )}
            </Thing>
          ))}
        </Box>
      </Box>
      {decide.error !== null && <Trouble error={decide.error} />}
    </Box>
  );
}

/** Both ends of a lane: what is at each, and what is joined to what. */
export function Shores({ lane }: { lane: Lane }) {
  const { data, error } = useQuery({ queryKey: ['lanes', lane.id, 'shores', lane.revision], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/shores', { params: { path: { lane: lane.id } } })) });
  if (error !== null) {
    return <Trouble error={error} />;
  }
  if (data === undefined) {
    return null;
  }
  if (!['source', 'target'].every((side) => data.some((s) => s.side === side))) {
    return <Typography color="text.secondary">Both sites have to be scanned before anything can be joined.</Typography>;
  }
  return (
    <>
      <Kind kind="network" title="Networks" lane={lane} all={data} />
      <Kind kind="storage" title="Storage" lane={lane} all={data} />
    </>
  );
}
