import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type EstateImport, type EstateResult } from '../api';
import { saved } from '../format';
import { useMay } from '../parts/May';
import { NextStep } from '../parts/NextStep';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

/** Rows that a person reads of one list. */
const MOST = 200;

function First({ all }: { all: unknown[] }) {
  return all.length > MOST ? <Typography color="text.secondary">{`The first ${MOST} of ${all.length}; bargelane estate compare --output json has them all.`}</Typography> : null;
}

function Problems({ result }: { result: EstateResult }) {
  return (
    <>
      <Rows
        heads={[
          ['Line', 'right'],
          ['Column', 'right'],
          ['What is wrong', 'left'],
          ['Next', 'left'],
        ]}
        rows={result.problems.slice(0, MOST).map((p, i) => ({ key: String(i), cells: [p.line, p.column, p.cause, <NextStep key="n" remedy={p.remedy} />] }))}
        none=""
      />
      <First all={result.problems} />
    </>
  );
}

function Conflicts({ result }: { result: EstateResult }) {
  const side = (whole: boolean, value: string | null) => (whole ? (value === null ? 'removed' : 'changed') : (value ?? '–'));
  return (
    <>
      <Rows
        heads={[
          ['Line', 'right'],
          ['What', 'left'],
          ['Was', 'left'],
          ['Is now', 'left'],
          ['In the file', 'left'],
        ]}
        rows={result.conflicts.slice(0, MOST).map((c) => ({ key: c.path, cells: [c.line, c.path, c.whole ? '' : (c.base ?? '–'), side(c.whole, c.service), side(c.whole, c.file)] }))}
        none=""
      />
      <First all={result.conflicts} />
    </>
  );
}

function Changes({ changes }: { changes: EstateResult['changes'] }) {
  return (
    <>
      <Rows
        heads={[
          ['Line', 'right'],
          ['What', 'left'],
          ['Before', 'left'],
          ['After', 'left'],
        ]}
        rows={changes.slice(0, MOST).map((c) => ({ key: c.path, cells: [c.line, c.path, c.before ?? '–', c.after ?? 'removed'] }))}
        none=""
      />
      <First all={changes} />
    </>
  );
}

/** What an import comes to, or came to. */
export function Outcome({ result, name }: { result: EstateResult; name: string }) {
  const refused = result.problems.length + result.conflicts.length > 0;
  return (
    <Box sx={{ display: 'grid', gap: 1, mt: 1 }}>
      {result.problems.length > 0 && (
        <>
          <Status tone="bad">{`${name} can't be imported as it is; nothing is stored`}</Status>
          <Problems result={result} />
        </>
      )}
      {result.conflicts.length > 0 && (
        <>
          <Status tone="bad">{`Changed both in ${name} and by somebody else since it was written; nothing is stored`}</Status>
          <Conflicts result={result} />
        </>
      )}
      {!refused && (
        <Status tone="good">
          {result.changes.length === 0 ? `${name} changes nothing` : `${result.changes.length} ${result.changes.length === 1 ? 'change' : 'changes'} ${result.done ? 'made' : `in ${name}; nothing is stored yet`}`}
        </Status>
      )}
      {result.changes.length > 0 && (
        <>
          {refused && <Typography>The file changes:</Typography>}
          <Changes changes={result.changes} />
        </>
      )}
      {result.kept.length > 0 && (
        <>
          <Typography>Changed by somebody else since, and left so:</Typography>
          <Changes changes={result.kept} />
        </>
      )}
      {result.done && !result.baseKnown && (
        <Typography>
          Put this line into the file, so that the next import of it knows what has changed since: <code>{`base: ${result.base}`}</code>
        </Typography>
      )}
    </Box>
  );
}

/** What is set up as one file: written, compared with what stands, and taken over when that was seen. */
export function EstateFile() {
  const client = useQueryClient();
  const keeper = useMay('keeper');
  const [file, setFile] = useState<{ name: string; text: string } | null>(null);
  const [take, setTake] = useState<EstateImport['take']>('');
  const write = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/estate/exports', { body: { only: [] } })),
    onSuccess: (written) => saved('estate.yaml', written.yaml, 'application/yaml'),
  });
  const compare = useMutation({ mutationFn: (asked: EstateImport) => answer(api.POST('/api/v1/estate/comparisons', { body: asked })) });
  const give = useMutation({
    mutationFn: (asked: EstateImport) => answer(api.POST('/api/v1/estate/imports', { body: asked })),
    onSuccess: () => client.invalidateQueries(),
  });
  const seen = give.data ?? compare.data;
  const look = (text: string, side: EstateImport['take']) => {
    give.reset();
    setTake(side);
    compare.mutate({ yaml: text, only: [], take: side, state: '' });
  };
  const busy = compare.isPending || give.isPending;
  return (
    <Panel title="Estate file" note="sites, timetables, label rules, lanes and waves in one file, without secrets">
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <Button variant="outlined" disabled={write.isPending} onClick={() => write.mutate()}>
          Export
        </Button>
        <Button component="label" variant="outlined" disabled={busy}>
          Compare a file
          <input
            type="file"
            hidden
            aria-label="Compare a file"
            accept=".yaml,.yml"
            onChange={(e) => {
              const chosen = e.target.files?.[0];
              e.target.value = '';
              void chosen?.text().then((text) => {
                setFile({ name: chosen.name, text });
                look(text, '');
              });
            }}
          />
        </Button>
        {file !== null && seen !== undefined && (seen.conflicts.length > 0 || take !== '') && (
          <TextField select size="small" label="Where both have changed" sx={{ minWidth: 230 }} value={take} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }} onChange={(e) => look(file.text, e.target.value as EstateImport['take'])}>
            <MenuItem value="">tell me</MenuItem>
            <MenuItem value="file">the file counts</MenuItem>
            <MenuItem value="service">what is now counts</MenuItem>
          </TextField>
        )}
        {file !== null && keeper && seen !== undefined && !seen.done && seen.changes.length > 0 && seen.problems.length + seen.conflicts.length === 0 && (
          <Button variant="contained" disabled={busy} onClick={() => give.mutate({ yaml: file.text, only: [], take, state: seen.state })}>
            Import
          </Button>
        )}
      </Box>
      {file !== null && seen !== undefined && <Outcome result={seen} name={file.name} />}
      {[write, compare, give].map((m, i) => m.error !== null && <Trouble key={i} error={m.error} />)}
    </Panel>
  );
}
