import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useNavigate } from 'react-router';
import { answer, api, type PriceBook } from '../api';
import { moment, money } from '../format';
import { PriceBooks } from './PriceBooks';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

/** A new assessment: whom, for which target, at which prices. Everything else is assumed as usual and can be changed in a revision. */
function Make({ books }: { books: PriceBook[] }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const sites = useQuery({ queryKey: ['sites'], queryFn: () => answer(api.GET('/api/v1/sites')) });
  const [asked, setAsked] = useState({ name: '', filter: '', target: '', book: '' });
  const make = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/assessments', { body: asked })),
    onSuccess: async (made) => {
      await client.invalidateQueries();
      await navigate(`/assessments/${encodeURIComponent(made.name)}`);
    },
  });
  const field = (name: keyof typeof asked) => ({ size: 'small' as const, value: asked[name], onChange: (e: { target: { value: string } }) => setAsked({ ...asked, [name]: e.target.value }) });
  return (
    <Panel title="Assess machines" wide>
      <Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
        sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start' }}
      >
        <TextField label="Name" {...field('name')} sx={{ width: 170 }} />
        <TextField label="Machines (filter)" placeholder="site = mill-street" required {...field('filter')} sx={{ flexGrow: 1, minWidth: 260 }} />
        <TextField select label="Target" {...field('target')} sx={{ width: 180 }}>
          <MenuItem value="">as the book describes</MenuItem>
          {(sites.data ?? []).map((s) => (
            <MenuItem key={s.id} value={s.name}>
              {s.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="Prices" {...field('book')} sx={{ width: 190 }}>
          <MenuItem value="">as the target tells</MenuItem>
          {books.map((b) => (
            <MenuItem key={b.id} value={b.name}>
              {b.name}
            </MenuItem>
          ))}
        </TextField>
        <Button type="submit" variant="contained" disabled={make.isPending}>
          {make.isPending ? 'Assessing …' : 'Assess'}
        </Button>
      </Box>
      {make.error !== null && (
        <Box sx={{ mt: 1 }}>
          <Trouble error={make.error} />
        </Box>
      )}
    </Panel>
  );
}

/** All assessments, and the prices and rules that they go by. */
export function AssessmentsPage() {
  const all = useQuery({ queryKey: ['assessments'], queryFn: () => answer(api.GET('/api/v1/assessments')) });
  const books = useQuery({ queryKey: ['price-books'], queryFn: () => answer(api.GET('/api/v1/price-books')) });
  const rules = useQuery({ queryKey: ['fitness-rules'], queryFn: () => answer(api.GET('/api/v1/fitness-rules')) });
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
      <Panel title="Assessments" wide>
        {all.error !== null && <Trouble error={all.error} />}
        <Rows
          heads={[
            ['Name', 'left'],
            ['Target', 'left'],
            ['Prices', 'left'],
            ['Machines', 'right'],
            ['Revision', 'right'],
            ['Made', 'left'],
            ['Configured a month', 'right'],
            ['Observed a month', 'right'],
          ]}
          rows={(all.data ?? []).map((a) => ({
            key: a.id,
            cells: [
              <Link key="a" component={RouterLink} to={`/assessments/${encodeURIComponent(a.name)}`}>
                {a.name}
              </Link>,
              a.target === '' ? 'described by the book' : a.target,
              a.book === '' ? 'as the target gives them' : a.book,
              a.count,
              a.revision,
              moment(a.at),
              `${money(a.configured.monthly)} ${a.currency}`,
              `${money(a.observed.monthly)} ${a.currency}`,
            ],
          }))}
          none="No assessments yet. Choose machines by a filter, a target and prices."
        />
      </Panel>
      <May roles="planner"><Make books={books.data ?? []} /></May>
      <PriceBooks books={books.data ?? []} />
      <Panel title="Rules of fitness">
        {(rules.data ?? []).map((set) => (
          <Box key={set.name} sx={{ mb: 1 }}>
            {set.name} {set.version}: {set.rules.length} rules, {set.systems} operating systems{set.shipped ? '' : `, by ${set.by}`}
            <Box component="details" sx={{ mt: 0.5 }}>
              <summary>What they say</summary>
              <Rows
                heads={[
                  ['Rule', 'left'],
                  ['Effect', 'left'],
                  ['When', 'left'],
                ]}
                rows={set.rules.map((r) => ({ key: r.id, cells: [r.id, r.effect, r.when.join(', ')] }))}
                none="No rules."
              />
            </Box>
          </Box>
        ))}
        <Box sx={{ color: 'text.secondary' }}>
          Rules of your own: <code>bargelane fitness add</code>
        </Box>
      </Panel>
    </Box>
  );
}
