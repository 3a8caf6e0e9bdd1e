import Box from '@mui/material/Box';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams, useSearchParams } from 'react-router';
import { answer, api, type AssessedMachine, type Sized } from '../api';
import { duration, money, size } from '../format';
import { Findings } from '../parts/Findings';
import { NextStep } from '../parts/NextStep';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { Choice, Course, METRICS, Words } from '../machines/UsagePanel';

const TONES = { goes: 'good', 'goes after': 'working', stays: 'bad' } as const;
const EFFECTS = { note: 'plain', missing: 'waiting', 'goes after': 'working', stays: 'bad' } as const;
const POINTS = 360;

function Side({ sized: s, currency, months }: { sized: Sized; currency: string; months: number }) {
  const above = Math.max(s.aboveCpuSeconds, s.aboveMemorySeconds);
  return (
    <Panel title={s.basis === 'observed' ? 'As it is used' : 'As it is configured'} note={s.monthly === null ? 'no sum' : `${money(s.monthly)} ${currency} a month, ${money(s.horizon)} in ${months} months`}>
      <Typography sx={{ fontWeight: 700, mb: 0.5 }}>{s.size === '' ? 'No size' : `${s.size}, ${s.cpus} × ${size(s.memoryMib * 1024 * 1024)}`}</Typography>
      {above > 0 && (
        <Status tone="waiting" wrap>
          {`above this size for ${duration(above)} in the window`}
        </Status>
      )}
      {s.waiting !== null && <Box>Its replica costs {money(s.waiting)} {currency} a month while it waits.</Box>}
      <Findings findings={s.findings} none="" />
      <Rows
        heads={[
          ['Demand', 'left'],
          ['How it came about', 'left'],
        ]}
        rows={s.demands.map((d) => ({ key: d.load, cells: [d.load, d.derivation] }))}
        none="Nothing is known of what it needs."
      />
      <Box sx={{ mt: 1.5 }}>
        <Rows
          heads={[
            ['Cost', 'left'],
            [`${currency} a month`, 'right'],
            ['How it came about', 'left'],
          ]}
          rows={s.lines.map((l) => ({ key: `${l.kind} ${l.what} ${l.of}`, cells: [`${l.kind} ${l.what}${l.of === '' ? '' : `, ${l.of}`}`, money(l.monthly), l.derivation] }))}
          none="Nothing is priced."
        />
      </Box>
      {s.notes.map((n) => (
        <Box key={n} sx={{ mt: 0.5 }}>
          <Status tone="waiting" wrap>
            {n}
          </Status>
        </Box>
      ))}
      <Box component="details" sx={{ mt: 1 }}>
        <summary>Disks, and the sizes that were looked at</summary>
        <Rows
          heads={[
            ['Disk', 'left'],
            ['Size', 'right'],
            ['Class', 'left'],
            ['How it came about', 'left'],
          ]}
          rows={s.disks.map((d) => ({ key: d.volume, cells: [d.volume, size(d.bytes), d.storage === '' ? 'none' : d.storage, d.derivation] }))}
          none="No disks."
        />
        <Box component="ul" sx={{ pl: 2.5, mb: 0 }}>
          {s.considered.map((c) => (
            <li key={c}>{c}</li>
          ))}
        </Box>
      </Box>
    </Panel>
  );
}

/** The use that the size was chosen for: percentile, what is configured, and the chosen size's limit. */
function Use({ m, percentile }: { m: AssessedMachine; percentile: number }) {
  const [search, setSearch] = useSearchParams();
  const chosen = search.get('metric') ?? 'cpu';
  const { data: usage, error } = useQuery({
    queryKey: ['assessed-usage', m.row.machineId, m.windowFrom, m.windowTo, percentile],
    queryFn: () => answer(api.GET('/api/v1/machines/{machine}/usage', { params: { path: { machine: m.row.machineId }, query: { from: m.windowFrom, to: m.windowTo, percentile: String(percentile), points: POINTS } } })),
    retry: false,
  });
  const metric = usage?.metrics.find((x) => x.metric === chosen);
  return (
    <Panel title="Use in the window" note="five-minute samples" wide>
      <Box sx={{ mb: 1 }}>
        <Choice
          label="Of"
          value={chosen}
          options={METRICS}
          onChange={(value) =>
            setSearch(
              (now) => {
                now.set('metric', value);
                return now;
              },
              { replace: true },
            )
          }
        />
      </Box>
      {error !== null && <Trouble error={error} />}
      {usage !== undefined && metric === undefined && <Typography color="text.secondary">Of this nothing was measured in the window.</Typography>}
      {usage !== undefined && metric !== undefined && (
        <>
          <Course metric={metric} usage={usage} size={m.observed.size === '' ? undefined : { label: m.observed.size, cpus: m.observed.cpuLimit, memoryBytes: m.observed.memoryMib * 1024 * 1024 }} />
          <Words metric={metric} usage={usage} />
        </>
      )}
    </Panel>
  );
}

/** One machine of a revision: both bases, why it goes or not, and how every figure came about. */
export function AssessedMachinePage() {
  const { name = '', machine = '' } = useParams();
  const [search] = useSearchParams();
  const revision = Number(search.get('revision') ?? '0') || 0;
  const path = `/assessments/${encodeURIComponent(name)}`;
  const { data: m, error } = useQuery({ queryKey: ['assessed-machine', name, revision, machine], queryFn: () => answer(api.GET('/api/v1/assessments/{assessment}/machines/{machine}', { params: { path: { assessment: name, machine }, query: { revision } } })), retry: false });
  const { data: a } = useQuery({ queryKey: ['assessment', name, revision], queryFn: () => answer(api.GET('/api/v1/assessments/{assessment}', { params: { path: { assessment: name }, query: { revision } } })), retry: false });
  if (error !== null) {
    return <Trouble error={error} />;
  }
  if (m === undefined || a === undefined) {
    return null;
  }
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 1fr)' } }}>
      <Box sx={{ gridColumn: '1 / -1', display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography variant="h1">{m.row.machine}</Typography>
        <Status tone={TONES[m.row.verdict as keyof typeof TONES]}>{m.row.verdict}</Status>
        <span>
          in{' '}
          <Link component={RouterLink} to={`${path}?revision=${m.revision}`}>
            {name}
          </Link>
          , revision {m.revision}
        </span>
        <Link component={RouterLink} to={`/machines/${m.row.machineId}`}>
          The machine
        </Link>
        {m.row.today !== null && (
          <span>
            Today it costs {money(m.row.today)} {m.currency} a month
          </span>
        )}
        {m.way !== '' && (
          <Box component="span" sx={{ color: 'text.secondary' }}>
            Best moved by {m.way}: {m.wayWhy}
          </Box>
        )}
      </Box>
      {m.warnings.length > 0 && (
        <Box sx={{ gridColumn: '1 / -1' }}>
          {m.warnings.map((w) => (
            <Box key={w}>
              <Status tone="waiting" wrap>{`Read with care: ${w}`}</Status>
            </Box>
          ))}
        </Box>
      )}
      <Use m={m} percentile={a.assumptions.percentile} />
      <Panel title="Findings" wide>
        <Rows
          heads={[
            ['Effect', 'left'],
            ['Finding', 'left'],
            ['Remedy', 'left'],
            ['Rule and facts', 'left'],
          ]}
          rows={m.judgements.map((j) => ({
            key: j.rule + j.finding.thing,
            cells: [
              <Status key="e" tone={EFFECTS[j.effect as keyof typeof EFFECTS]}>
                {j.effect}
              </Status>,
              j.finding.cause,
              <NextStep key="n" remedy={j.finding.remedy} />,
              `${j.rule}${j.facts.length > 0 ? `: ${j.facts.join(', ')}` : ''}${j.source === '' ? '' : `; from ${j.source}`}`,
            ],
          }))}
          none="Nothing was found in its way."
        />
      </Panel>
      <Side sized={m.configured} currency={m.currency} months={a.assumptions.horizonMonths} />
      <Side sized={m.observed} currency={m.currency} months={a.assumptions.horizonMonths} />
    </Box>
  );
}
