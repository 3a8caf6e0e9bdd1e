import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

const SIZE = 20;
const LONGEST = 160;

/** The start of what stood there, or of what was asked. */
function Body({ text }: { text: string }) {
  return (
    <Box component="code" sx={{ wordBreak: 'break-all' }} title={text}>
      {text.length > LONGEST ? `${text.slice(0, LONGEST)} …` : text}
    </Box>
  );
}

/** Who asked for what to be changed, and what was refused. */
export function Audit() {
  const [account, setAccount] = useState('');
  const [refused, setRefused] = useState(false);
  const [page, setPage] = useState(0);
  const { data, error } = useQuery({
    queryKey: ['audit', account, refused, page],
    queryFn: () => answer(api.GET('/api/v1/audit', { params: { query: { account, refused, page, size: SIZE } } })),
    placeholderData: (before) => before,
  });
  const check = useMutation({ mutationFn: () => answer(api.GET('/api/v1/audit/check')) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Audit" note="what was asked to be changed, the newest first; entries are never changed">
      <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap', alignItems: 'center', mb: 1 }}>
        <TextField
          size="small"
          label="Of the account"
          value={account}
          onChange={(e) => {
            setPage(0);
            setAccount(e.target.value.trim());
          }}
        />
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={refused}
              onChange={(e) => {
                setPage(0);
                setRefused(e.target.checked);
              }}
            />
          }
          label="refused or failed only"
        />
        <Button size="small" onClick={() => check.mutate()} disabled={check.isPending}>
          Check the chain
        </Button>
        {check.data !== undefined && (
          <Status tone={check.data.broken === '' ? 'good' : 'bad'}>
            {check.data.broken === ''
              ? `${check.data.entries} entries, all as they were written${check.data.gone > 0 ? `; ${check.data.gone} older ones are kept no more` : ''}`
              : check.data.broken}
          </Status>
        )}
      </Box>
      <Rows
        heads={[
          ['Entry', 'right'],
          ['At', 'left'],
          ['Account', 'left'],
          ['From', 'left'],
          ['Call', 'left'],
          ['Outcome', 'left'],
          ['Before', 'left'],
          ['Asked', 'left'],
        ]}
        rows={data.items.map((a) => ({
          key: String(a.id),
          cells: [
            a.id,
            moment(a.at),
            a.account,
            a.address,
            `${a.method} ${a.path.replace('/api/v1', '')}`,
            a.status === 0 ? 'asked' : `${a.code}${a.of === null ? '' : ` (entry ${a.of})`}`,
            <Body key="b" text={a.before} />,
            <Body key="a" text={a.asked} />,
          ],
        }))}
        none="Nothing was asked to be changed."
      />
      {data.total > SIZE && (
        <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', mt: 1 }}>
          <Button size="small" disabled={page === 0} onClick={() => setPage(page - 1)}>
            Newer
          </Button>
          <Typography color="text.secondary">
            {page * SIZE + 1} to {page * SIZE + data.items.length} of {data.total}
          </Typography>
          <Button size="small" disabled={(page + 1) * SIZE >= data.total} onClick={() => setPage(page + 1)}>
            Older
          </Button>
        </Box>
      )}
      {check.error !== null && <Trouble error={check.error} />}
    </Panel>
  );
}
