import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useParams, useSearchParams } from 'react-router';
import { answer, api, type Assessment } from '../api';
import { money } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const BASES = ['observed', 'configured'];

function title(a: Assessment): string {
  return `${a.name}, revision ${a.revision}, for ${a.target === '' ? `book ${a.book}` : a.target}`;
}

/** Two revisions side by side, of one assessment or of two for different targets. */
export function ComparisonPage() {
  const { name = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const basis = search.get('basis') ?? 'observed';
  const asked = { from: Number(search.get('from') ?? '0') || 0, to: Number(search.get('to') ?? '0') || 0, with: search.get('with') ?? '', basis };
  const { data: c, error } = useQuery({
    queryKey: ['comparison', name, asked],
    queryFn: () => answer(api.GET('/api/v1/assessments/{assessment}/comparison', { params: { path: { assessment: name }, query: { size: 200, ...asked } } })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (error !== null) {
    return <Trouble error={error} />;
  }
  if (c === undefined) {
    return null;
  }
  const sum = (a: Assessment) => (basis === 'observed' ? a.observed : a.configured);
  const link = (a: Assessment) => (
    <Link component={RouterLink} to={`/assessments/${encodeURIComponent(a.name)}?revision=${a.revision}`}>
      {title(a)}
    </Link>
  );
  const kinds = [...new Set([...c.former.costs, ...c.present.costs].map((x) => x.kind))];
  const cost = (a: Assessment, kind: string) => {
    const found = a.costs.find((x) => x.kind === kind);
    return found === undefined ? 0 : basis === 'observed' ? found.observed : found.configured;
  };
  const same = c.former.name === c.present.name;
  const one = same ? `revision ${c.former.revision}` : c.former.name;
  const other = same ? `revision ${c.present.revision}` : c.present.name;
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) minmax(0, 1fr)' } }}>
      <Box sx={{ gridColumn: '1 / -1', display: 'flex', gap: 1.5, alignItems: 'baseline', flexWrap: 'wrap' }}>
        <Typography variant="h1">Comparison</Typography>
        <span>
          {link(c.former)} with {link(c.present)}
        </span>
        <Box sx={{ ml: 'auto' }}>
          {BASES.map((b) => (
            <Button
              key={b}
              variant={b === basis ? 'contained' : 'outlined'}
              size="small"
              aria-pressed={b === basis}
              sx={{ ml: 1 }}
              onClick={() =>
                setSearch((now) => {
                  now.set('basis', b);
                  return now;
                })
              }
            >
              {b}
            </Button>
          ))}
        </Box>
      </Box>
      <Panel title="Cost" note={`${c.present.currency} a month, ${basis}`}>
        <Rows
          heads={[
            ['', 'left'],
            [one, 'right'],
            [other, 'right'],
            ['Difference', 'right'],
          ]}
          rows={[
            ...kinds.map((k) => ({ key: k, cells: [k, money(cost(c.former, k)), money(cost(c.present, k)), money(cost(c.present, k) - cost(c.former, k))] })),
            { key: 'all', cells: [<b key="b">All</b>, money(sum(c.former).monthly), money(sum(c.present).monthly), money(sum(c.present).monthly - sum(c.former).monthly)] },
            { key: 'machines', cells: ['Machines in the sum', sum(c.former).sized, sum(c.present).sized, sum(c.present).sized - sum(c.former).sized] },
            { key: 'both', cells: [`The ${c.compared} that are in both`, '', '', money(c.monthly)] },
          ]}
          none=""
        />
        {c.onlyFormer + c.onlyPresent > 0 && <Box sx={{ mt: 1 }}>{`${c.onlyFormer} ${c.onlyFormer === 1 ? 'machine is' : 'machines are'} in the sum of ${one} alone, ${c.onlyPresent} in that of ${other} alone: compare by those in both.`}</Box>}
      </Panel>
      <Panel title="Assumptions that differ">
        <Rows
          heads={[
            ['What', 'left'],
            [one, 'left'],
            [other, 'left'],
          ]}
          rows={c.assumptions.map((d) => ({ key: d.what, cells: [d.what, d.former === '' ? 'none' : d.former, d.present === '' ? 'none' : d.present] }))}
          none="The same assumptions: what is known of the machines is different, or nothing is."
        />
      </Panel>
      <Panel title="Machines that differ" note={c.differing > c.machines.length ? `the ${c.machines.length} that differ most, of ${c.differing}` : String(c.differing)} wide>
        <Rows
          heads={[
            ['Machine', 'left'],
            [`Size in ${one}`, 'left'],
            [`Size in ${other}`, 'left'],
            [`${one}, a month`, 'right'],
            [`${other}, a month`, 'right'],
            ['Difference', 'right'],
            ['Why', 'left'],
          ]}
          rows={c.machines.map((m) => ({
            key: m.machineId,
            cells: [
              <Link key="m" component={RouterLink} to={`/assessments/${encodeURIComponent(c.present.name)}/machines/${m.machineId}?revision=${c.present.revision}`}>
                {m.machine}
              </Link>,
              m.formerSize === '' ? 'none' : m.formerSize,
              m.presentSize === '' ? 'none' : m.presentSize,
              money(m.formerMonthly),
              money(m.presentMonthly),
              money(m.monthly),
              m.why.join('; '),
            ],
          }))}
          none="No machine differs."
        />
      </Panel>
    </Box>
  );
}
