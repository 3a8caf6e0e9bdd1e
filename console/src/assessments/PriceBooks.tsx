import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type PriceBook } from '../api';
import { moment } from '../format';
import { Imported } from '../machines/Imported';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

/** The price books; one is looked through first and taken over when its outcome was seen. */
export function PriceBooks({ books }: { books: PriceBook[] }) {
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [csv, setCsv] = useState('');
  const give = useMutation({
    mutationFn: (dryRun: boolean) => answer(api.POST('/api/v1/price-books', { body: { name, csv, dryRun } })),
    onSuccess: () => client.invalidateQueries(),
  });
  const sound = give.data !== undefined && give.data.problemCount === 0;
  return (
    <Panel title="Price books">
      <Rows
        heads={[
          ['Name', 'left'],
          ['Currency', 'left'],
          ['Prices', 'right'],
          ['Given', 'left'],
        ]}
        rows={books.map((b) => ({ key: b.id, cells: [b.name, b.currency, b.count, `${moment(b.at)} by ${b.by}`] }))}
        none="No price books yet."
      />
      <May roles="planner"><Box sx={{ display: 'flex', gap: 1, mt: 1.5, flexWrap: 'wrap' }}>
        <TextField size="small" label="Name of the book" value={name} onChange={(e) => setName(e.target.value)} />
        <Button component="label" variant="outlined" disabled={csv === '' ? false : give.isPending}>
          Choose a CSV file
          <input
            type="file"
            hidden
            aria-label="Choose a CSV file"
            accept=".csv,text/csv"
            onChange={(e) => {
              const chosen = e.target.files?.[0];
              e.target.value = '';
              give.reset();
              void chosen?.text().then(setCsv);
            }}
          />
        </Button>
        <Button disabled={csv === '' || name === '' || give.isPending} onClick={() => give.mutate(true)}>
          Look through it
        </Button>
        {sound && !give.data?.stored && (
          <Button variant="contained" disabled={give.isPending} onClick={() => give.mutate(false)}>
            Import
          </Button>
        )}
      </Box></May>
      {give.data !== undefined && <Imported result={give.data} things="prices" />}
      {give.error !== null && <Trouble error={give.error} />}
    </Panel>
  );
}
