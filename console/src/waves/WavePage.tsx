import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { answer, api, type Pass, type Point, type Run, type Wave } from '../api';
import { between, clock, duration, moment, shortDuration, size } from '../format';
import { useNow } from '../live';
import { ActionDialog } from './ActionDialog';
import { actionsOf, meanwhile, pressing, type Action } from './actions';
import { ExposureChart } from './ExposureChart';
import { Findings } from '../parts/Findings';
import { Flight, reached } from './Flight';
import { NextStep } from '../parts/NextStep';
import { Panel } from '../parts/Panel';
import { PassChart } from './PassChart';
import { PassDays } from './PassDays';
import { Probes } from './Probes';
import { RefitPlans } from './RefitPlans';
import { GuestConsoles } from '../activity/GuestConsoles';
import { RunSteps } from '../activity/RunSteps';
import { Status, toneOf } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

function Figure({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <Box>
      <Typography variant="body2" color="text.secondary">
        {label}
      </Typography>
      <Box sx={{ fontVariantNumeric: 'tabular-nums' }}>{children}</Box>
    </Box>
  );
}

function Exposure({ wave, now }: { wave: Wave; now: number }) {
  if (wave.newestAsOf === null) {
    return <Status tone="waiting">no recovery point yet</Status>;
  }
  const seconds = (now - Date.parse(wave.newestAsOf)) / 1000;
  const held = seconds <= wave.rpoSeconds;
  return <Status tone={held ? 'good' : 'bad'}>{`${duration(Math.max(0, seconds))} of ${shortDuration(wave.rpoSeconds)}, ${held ? 'RPO held' : 'over the RPO'}`}</Status>;
}

function Head({ wave, now, onAct }: { wave: Wave; now: number; onAct: (a: Action) => void }) {
  const actions = actionsOf(wave);
  return (
    <Box sx={{ display: 'flex', gap: 3, rowGap: 1, alignItems: 'center', flexWrap: 'wrap', mb: 1.5 }}>
      <Box>
        <Typography variant="h1">{wave.name}</Typography>
        <Typography color="text.secondary">
          {wave.from} to {wave.to}
        </Typography>
      </Box>
      <Figure label="State">
        <Status tone={toneOf(wave.state)}>{wave.state}</Status>
      </Figure>
      {wave.state !== 'settled' && (
        <Figure label="Exposure">
          <Exposure wave={wave} now={now} />
        </Figure>
      )}
      <Figure label={`Timetable ${wave.timetable}`}>
        every {shortDuration(wave.everySeconds)}, {wave.keepPoints} points kept
      </Figure>
      <Figure label="Replication">{wave.leg === null ? 'none' : `${wave.leg.from} to ${wave.leg.to}${wave.leg.state === 'paused' ? ', paused' : ''}`}</Figure>
      <Box sx={{ ml: 'auto', display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        {actions.map((a, i) => (
          <May key={a.title} roles="mover" own><Button variant={i === 0 && pressing(wave) ? 'contained' : 'outlined'} onClick={() => onAct(a)}>
            {a.title}
          </Button></May>
        ))}
      </Box>
    </Box>
  );
}

function Flights({ wave }: { wave: Wave }) {
  const [picked, setPicked] = useState<{ machine: string; gate: string } | null>(null);
  const first = wave.machines.find((m) => reached(m.gates) < m.gates.length) ?? wave.machines[0];
  const chosen = picked ?? { machine: first.machine, gate: first.gates[Math.min(reached(first.gates), first.gates.length - 1)].gate };
  const member = wave.machines.find((m) => m.machine === chosen.machine) ?? first;
  const gate = member.gates.find((g) => g.gate === chosen.gate);
  return (
    <Panel title="Along the gates" note="Choose a gate to see what keeps it shut">
      {wave.machines.map((m) => (
        <Flight key={m.machine} member={m} chosen={m.machine === member.machine ? chosen.gate : ''} onChoose={(g) => setPicked({ machine: m.machine, gate: g })} />
      ))}
      <Box sx={{ borderTop: 1, borderColor: 'divider', pt: 1, mt: 0.5 }} aria-live="polite">
        <Typography sx={{ fontWeight: 600 }}>
          {member.name}, gate &lsquo;{chosen.gate}&rsquo;: {gate?.open === true ? 'open' : 'shut'}
        </Typography>
        <Findings findings={gate?.shutBy ?? []} none="Nothing keeps it shut." />
      </Box>
      {wave.machines.flatMap((m) =>
        m.notices.map((n) => (
          <Box key={m.machine + n.code} sx={{ mt: 0.5 }}>
            <Status tone="waiting" wrap>{`${m.name}: ${n.cause}.`}</Status> <NextStep before="Next: " remedy={n.remedy} />
          </Box>
        )),
      )}
    </Panel>
  );
}

function LastPass({ pass }: { pass: Pass | null }) {
  if (pass === null) {
    return <Typography color="text.secondary">No pass yet.</Typography>;
  }
  const open = pass.endedAt === null;
  return (
    <Box sx={{ mb: 1 }}>
      <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap', fontVariantNumeric: 'tabular-nums' }}>
        <span>
          Pass {pass.number}, {pass.kind}
        </span>
        <Status tone={toneOf(pass.state)}>{open ? 'running' : pass.state}</Status>
        <span>
          {size(pass.sent)} sent of {size(pass.total)} looked at
        </span>
        {open && pass.rate !== null && <span>{size(pass.rate)}/s</span>}
        {open && pass.remainingSeconds !== null && <span>{duration(pass.remainingSeconds)} left</span>}
      </Box>
      {open && pass.total > 0 && <LinearProgress variant="determinate" value={(100 * pass.done) / pass.total} sx={{ mt: 0.5, transition: 'none' }} aria-label="progress of the pass" />}
      {pass.problem !== '' && <Typography color="error.main">{pass.problem}</Typography>}
    </Box>
  );
}

/** When the copies were last held against their digests, and what that found. */
function scrubbed(leg: NonNullable<Wave['leg']>): string {
  if (leg.scrubbedAt === null) {
    return 'never scrubbed yet';
  }
  return `scrubbed ${moment(leg.scrubbedAt)}${leg.scrubFound === '' ? ', no block differed' : `: ${leg.scrubFound}`}`;
}

/** Asks for passes and scrubs out of turn. */
function PassNow({ wave }: { wave: Wave }) {
  const client = useQueryClient();
  const [trouble, setTrouble] = useState<Error | null>(null);
  const ask = (deep: boolean) => after(answer(api.POST('/api/v1/waves/{wave}/passes', { params: { path: { wave: wave.name }, query: { deep } } })));
  const after = (begun: Promise<unknown>) =>
    begun.then(
      () => {
        setTrouble(null);
        void client.invalidateQueries();
      },
      (e: Error) => setTrouble(e),
    );
  if (wave.leg?.state !== 'open') {
    return null;
  }
  return (
    <Box sx={{ mb: 1 }}>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <May roles="mover" own><Button size="small" variant="outlined" onClick={() => void ask(false)}>
          Pass now
        </Button></May>
        <May roles="mover" own><Button size="small" variant="outlined" onClick={() => void ask(true)}>
          Compare every byte
        </Button></May>
        <May roles="mover" own><Button size="small" variant="outlined" onClick={() => void after(answer(api.POST('/api/v1/waves/{wave}/scrub', { params: { path: { wave: wave.name } } })))}>
          Scrub the copies
        </Button></May>
        <Typography color={wave.leg.scrubFound === '' ? 'text.secondary' : 'error.main'}>{scrubbed(wave.leg)}</Typography>
      </Box>
      {trouble !== null && <Trouble error={trouble} />}
    </Box>
  );
}

/** How what a point's pass wrote was verified. */
const checked: Record<string, string> = {
  'at-target': 'verified at the target',
  'read-back': 'verified by reading back',
  none: 'not verified',
};

function Points({ points }: { points: Point[] }) {
  if (points.length === 0) {
    return <Typography color="text.secondary">No recovery point yet.</Typography>;
  }
  return (
    <Table size="small">
      <TableHead>
        <TableRow>
          <TableCell align="right">No</TableCell>
          <TableCell>As of</TableCell>
          <TableCell>At</TableCell>
          <TableCell>Consistency</TableCell>
          <TableCell align="right">Sent</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {points.slice(0, 9).map((p) => (
          <TableRow key={p.id}>
            <TableCell align="right">{p.number}</TableCell>
            <TableCell>{clock(p.asOf)}</TableCell>
            <TableCell>{p.site}</TableCell>
            <TableCell>
              {p.consistency}
              {!p.oneInstant && `, within ${p.spreadMs} ms`}
              {`, ${checked[p.verification] ?? p.verification}`}
            </TableCell>
            <TableCell align="right">{size(p.sent)}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function History({ runs }: { runs: Run[] }) {
  if (runs.length === 0) {
    return <Typography color="text.secondary">Nothing was done with this wave yet.</Typography>;
  }
  return (
    <Table size="small">
      <TableHead>
        <TableRow>
          <TableCell>Work</TableCell>
          <TableCell>State</TableCell>
          <TableCell>Began</TableCell>
          <TableCell align="right">Took</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {runs.slice(0, 9).map((r) => (
          <TableRow key={r.id} title={r.id}>
            <TableCell>{r.title}</TableCell>
            <TableCell>
              <Status tone={toneOf(r.state)}>{r.state}</Status>
            </TableCell>
            <TableCell>{clock(r.startedAt)}</TableCell>
            <TableCell align="right">{r.endedAt === null ? '' : duration(between(r.startedAt, r.endedAt))}</TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function Divergence({ wave }: { wave: Wave }) {
  const d = wave.divergence;
  if (d === null) {
    return null;
  }
  return (
    <Box sx={{ mb: 1.5 }}>
      <Panel title="The sides diverged">
        <Typography>
          Since {d.commonPoint} {d.home} changed {size(d.homeBytes)} and {d.away} {size(d.awayBytes)}.
          {d.overlapSeconds !== null && ` Both may have run at once for up to ${duration(d.overlapSeconds)}.`} Choose the side whose machines run on; what the other wrote is kept until the move is settled.
        </Typography>
      </Panel>
    </Box>
  );
}

export function WavePage() {
  const { name = '' } = useParams();
  const client = useQueryClient();
  const [search, setSearch] = useSearchParams();
  const [picked, setPicked] = useState<Action | null>(null);
  const [trouble, setTrouble] = useState<Error | null>(null);
  const wave = useQuery({ queryKey: ['wave', name], queryFn: () => answer(api.GET('/api/v1/waves/{wave}', { params: { path: { wave: name } } })) });
  const passes = useQuery({ queryKey: ['passes', name], queryFn: () => answer(api.GET('/api/v1/waves/{wave}/passes', { params: { path: { wave: name }, query: { size: 40 } } })) });
  const done = (work: Promise<unknown>) =>
    void work.then(
      () => {
        setTrouble(null);
        void client.invalidateQueries();
      },
      (e: Error) => setTrouble(e),
    );
  const refits = useQuery({ queryKey: ['refits', name], queryFn: () => answer(api.GET('/api/v1/waves/{wave}/refit', { params: { path: { wave: name } } })) });
  const now = useNow(wave.data?.now ?? new Date(0).toISOString());
  const w = wave.data;
  if (w === undefined) {
    return wave.error === null ? null : <Trouble error={wave.error} />;
  }
  // A link from elsewhere names what is to be done; the dialog is open until it is closed.
  const action = picked ?? actionsOf(w).find((a) => a.verb === search.get('do')) ?? null;
  const close = () => {
    setPicked(null);
    setSearch({}, { replace: true });
  };
  const failed = w.recent.find((r) => r.kind !== 'pass');
  return (
    <Box>
      <Head wave={w} now={now} onAct={setPicked} />
      <Divergence wave={w} />
      {(w.running.length > 0 || failed?.state === 'failed') && (
        <Box sx={{ mb: 1.5 }}>
          <Panel title={w.running.length > 0 ? 'Running work' : 'The last work failed'}>
            {(w.running.length > 0 ? w.running : [failed as Run]).map((r) => (
              <Box key={r.id}>
                <RunSteps run={r} now={now} />
                <GuestConsoles run={r.id} />
                <Box sx={{ display: 'flex', gap: 1, mt: 1 }}>
                  {meanwhile(w, r).map((a) => (
                    <May key={a.title} roles="mover" own><Button size="small" variant="outlined" onClick={() => setPicked(a)}>
                      {a.title}
                    </Button></May>
                  ))}
                </Box>
              </Box>
            ))}
          </Panel>
        </Box>
      )}
      <Flights wave={w} />
      <Box sx={{ display: 'grid', gap: 1.5, mt: 1.5, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
        <Panel title="Exposure against RPO" note="a mark for each recovery point">
          <ExposureChart passes={passes.data ?? []} rpoSeconds={w.rpoSeconds} now={w.now} />
        </Panel>
        <Panel title="Passes">
          <LastPass pass={w.lastPass} />
          <PassNow wave={w} />
          <PassChart passes={passes.data ?? []} />
        </Panel>
        <Panel title="Recovery points" note={`${w.points.length} held`}>
          <Points points={w.points} />
        </Panel>
        <Panel title="Work on this wave">
          <History runs={w.recent} />
        </Panel>
        <Panel title="By day" wide note="how replication went on the days that had passes">
          <PassDays wave={w.name} />
        </Panel>
        <Panel title="Probes" wide note="how it is seen that a machine does its work">
          <Probes wave={w.name} />
        </Panel>
        <Panel title="Refit" wide note="what the guests need changed to start at the other side">
          <RefitPlans
            plans={refits.data ?? []}
            canLook={w.points.length > 0 && w.state !== 'settled'}
            onLook={() => done(answer(api.POST('/api/v1/waves/{wave}/refit', { params: { path: { wave: w.name } } })))}
            onOffer={(machine, offer, accepted) =>
              done(answer(api.PUT('/api/v1/waves/{wave}/refit/offers', { params: { path: { wave: w.name } }, body: { machine, offer, accepted } })))
            }
          />
          {trouble !== null && <Trouble error={trouble} />}
        </Panel>
      </Box>
      {action !== null && (
        <ActionDialog
          wave={w.name}
          action={action}
          onClose={close}
          onRun={async (typed) => {
            await action.ask(typed);
            await client.invalidateQueries();
          }}
        />
      )}
    </Box>
  );
}
