import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { answer, api } from '../api';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

/** Rules that label whoever their filter chooses; a new one begins with the filter that is asked for. */
export function LabelRules({ filter }: { filter: string }) {
  const client = useQueryClient();
  const [label, setLabel] = useState('');
  const { data, error } = useQuery({ queryKey: ['label-rules'], queryFn: () => answer(api.GET('/api/v1/label-rules')) });
  const done = async () => {
    setLabel('');
    await client.invalidateQueries();
  };
  const split = label.indexOf('=');
  const add = useMutation({ mutationFn: () => answer(api.POST('/api/v1/label-rules', { body: { filter, name: label.slice(0, split).trim(), value: label.slice(split + 1).trim() } })), onSuccess: done });
  const take = useMutation({ mutationFn: (id: string) => answer(api.DELETE('/api/v1/label-rules/{rule}', { params: { path: { rule: id } } })), onSuccess: done });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Label rules" note="whoever a filter chooses has the label, now and later; the first of two counts">
      <Rows
        heads={[
          ['Label', 'left'],
          ['Filter', 'left'],
          ['Machines', 'right'],
          ['Made by', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((r) => ({
          key: r.id,
          cells: [
            `${r.name}=${r.value}`,
            <Link key="f" component={RouterLink} to={`/machines?filter=${encodeURIComponent(r.filter)}`}>
              {r.filter}
            </Link>,
            r.machines,
            r.madeBy,
            <May key="r" roles="planner"><Button size="small" onClick={() => take.mutate(r.id)}>
              Remove
            </Button></May>,
          ],
        }))}
        none="No rule yet. Filter machines above, and give them a label here."
      />
      {filter !== '' && (
        <May roles="planner"><Box
          component="form"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
          sx={{ display: 'flex', gap: 1, mt: 1, alignItems: 'center' }}
        >
          <TextField label="Label by a rule" placeholder="app=lending" size="small" value={label} onChange={(e) => setLabel(e.target.value)} />
          <Button type="submit" variant="outlined" disabled={split < 1 || split === label.length - 1 || add.isPending}>
            Always for this filter
          </Button>
        </Box></May>
      )}
      {add.error !== null && <Trouble error={add.error} />}
      {take.error !== null && <Trouble error={take.error} />}
    </Panel>
  );
}
