import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Assessment } from '../api';
import { Panel } from '../parts/Panel';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const list = (text: string) =>
  text
    .split(',')
    .map((x) => x.trim())
    .filter((x) => x !== '');

/** One of the three groups of assumptions. */
function Group({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box component="fieldset" sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, rowGap: 1.5, width: '100%', border: 0, borderTop: 1, borderColor: 'divider', m: 0, p: 0, pt: 1.5 }}>
      <Box component="legend" sx={{ pr: 1, fontSize: '0.85rem', color: 'text.secondary' }}>
        {title}
      </Box>
      {children}
    </Box>
  );
}

/** What a revision takes for granted; with something changed it becomes a new one. */
export function Assuming({ a, onMade }: { a: Assessment; onMade: () => void }) {
  const client = useQueryClient();
  const was = a.assumptions;
  const books = useQuery({ queryKey: ['price-books'], queryFn: () => answer(api.GET('/api/v1/price-books')) });
  const [now, setNow] = useState({
    basis: was.basis,
    percentile: String(was.percentile),
    days: String(was.days),
    until: was.until,
    sustained: String(was.sustainedHours),
    cpu: String(was.headroom.cpu),
    memory: String(was.headroom.memory),
    disk: String(was.headroom.disk),
    network: String(was.headroom.network),
    families: was.families.join(', '),
    generations: was.generations.join(', '),
    zone: was.zone,
    commitment: was.commitment,
    hours: String(was.hoursAWeek),
    discount: String(was.discountPercent),
    own: was.ownLicences.join(', '),
    growth: String(was.growthPercent),
    horizon: String(was.horizonMonths),
    book: a.book,
    why: '',
  });
  const make = useMutation({
    mutationFn: () =>
      answer(
        api.POST('/api/v1/assessments/{assessment}/revisions', {
          params: { path: { assessment: a.name } },
          body: {
        why: now.why,
        book: now.book,
        assumptions: {
          ...was,
          basis: now.basis,
          percentile: Number(now.percentile),
          days: Number(now.days),
          until: now.until,
          sustainedHours: Number(now.sustained),
          headroom: { cpu: Number(now.cpu), memory: Number(now.memory), disk: Number(now.disk), network: Number(now.network) },
          families: list(now.families),
          generations: list(now.generations),
          zone: now.zone,
          commitment: now.commitment,
          hoursAWeek: Number(now.hours),
          discountPercent: Number(now.discount),
          ownLicences: list(now.own),
          growthPercent: Number(now.growth),
          horizonMonths: Number(now.horizon),
        },
          },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries();
      onMade();
    },
  });
  const field = (name: keyof typeof now, label: string, width = 92, type = 'number', more: Record<string, unknown> = {}) => (
    <TextField
      label={label}
      size="small"
      type={type}
      value={now[name]}
      onChange={(e) => setNow({ ...now, [name]: e.target.value })}
      sx={{ width }}
      slotProps={{ htmlInput: type === 'number' ? { step: 'any', ...more } : more, inputLabel: { shrink: true } }}
    />
  );
  const choice = (name: keyof typeof now, label: string, options: [string, string][], width = 130) => (
    <TextField select label={label} size="small" value={now[name]} onChange={(e) => setNow({ ...now, [name]: e.target.value })} sx={{ width }} slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}>
      {options.map(([value, text]) => (
        <MenuItem key={value} value={value}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Panel title="Assumptions" note={`of revision ${a.revision}${a.filter === '' ? '' : `, for ${a.filter}`}`} wide>
      <Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', rowGap: 1.5 }}
      >
        <Group title="What it must carry">
          {choice('basis', 'Sizes as', [
            ['observed', 'observed'],
            ['configured', 'configured'],
          ])}
          {field('days', 'Days')}
          {field('until', 'Before', 140, 'date')}
          {field('percentile', 'Percentile', 98, 'number', { min: 50, max: 100, list: 'percentiles' })}
          <datalist id="percentiles">
            {[90, 95, 98, 99.5].map((p) => (
              <option key={p} value={p} />
            ))}
          </datalist>
          {field('sustained', 'Busiest hours', 120)}
          {field('cpu', 'CPU + %')}
          {field('memory', 'Memory + %', 110)}
          {field('disk', 'Disk + %')}
          {field('network', 'Network + %', 114)}
        </Group>
        <Group title="How it runs there">
          {field('families', 'Families', 140, 'text')}
          {field('generations', 'Generations', 110, 'text')}
          {field('zone', 'Zone', 100, 'text')}
          {field('hours', 'Running hours a week', 166)}
        </Group>
        <Group title="What is agreed">
          {choice('commitment', 'Commitment', [
            ['none', 'none'],
            ['1 year', '1 year'],
            ['3 years', '3 years'],
          ])}
          {field('discount', 'Discount %')}
          {field('growth', 'Growth % a year', 140)}
          {field('own', 'Own licences', 170, 'text')}
          {field('horizon', 'Months')}
          {choice('book', 'Prices', [['', 'as the target gives them'], ...(books.data ?? []).map((b): [string, string] => [b.name, b.name]), ...(a.book !== '' && !(books.data ?? []).some((b) => b.name === a.book) ? [[a.book, a.book] as [string, string]] : [])], 190)}
        </Group>
        {field('why', 'Why', 240, 'text')}
        <May roles="planner"><Button type="submit" variant="contained" disabled={make.isPending}>
          {make.isPending ? 'Assessing …' : `Make revision ${a.revisions + 1}`}
        </Button></May>
      </Box>
      {was.runningHours.length > 0 && <Box sx={{ mt: 1 }}>Other running hours a week: {was.runningHours.map((u) => `${u.hoursAWeek} for ${u.filter}`).join('; ')}</Box>}
      {make.error !== null && (
        <Box sx={{ mt: 1 }}>
          <Trouble error={make.error} />
        </Box>
      )}
    </Panel>
  );
}
