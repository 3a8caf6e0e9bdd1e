import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Server } from '../api';
import { moment } from '../format';
import { Imported } from '../machines/Imported';
import { MachineLink } from '../machines/MachineLink';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

const ROWS = 25;

/** The fingerprint that a server is to be known by from now on. */
function Trust({ site, server }: { site: string; server: Server }) {
  const client = useQueryClient();
  const [key, setKey] = useState('');
  const trust = useMutation({ mutationFn: () => answer(api.PUT('/api/v1/sites/{site}/servers/{server}', { params: { path: { site, server: server.id } }, body: { hostKey: key } })), onSuccess: () => client.invalidateQueries() });
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        trust.mutate();
      }}
      sx={{ display: 'flex', gap: 1, mt: 0.5 }}
    >
      <TextField label={`Host key of ${server.address}`} placeholder="SHA256:…" size="small" value={key} onChange={(e) => setKey(e.target.value)} sx={{ width: 330 }} />
      <Button type="submit" disabled={key === '' || trust.isPending}>
        Trust
      </Button>
      {trust.error !== null && <Trouble error={trust.error} />}
    </Box>
  );
}

/** Approves the keys that servers showed, as they stand in the list. */
function Approve({ site, servers, label }: { site: string; servers: Server[]; label: string }) {
  const client = useQueryClient();
  const approve = useMutation({
    mutationFn: () =>
      answer(api.PUT('/api/v1/sites/{site}/servers', { params: { path: { site } }, body: { keys: servers.map((s) => ({ address: s.address, hostKey: s.shownKey })), knownHosts: null } })),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <>
      <Button variant="outlined" size="small" disabled={approve.isPending} onClick={() => approve.mutate()} sx={{ mt: 0.5 }}>
        {label}
      </Button>
      {approve.error !== null && <Trouble error={approve.error} />}
    </>
  );
}

/** The servers of a site, and new ones: typed, or from a CSV file. */
export function Servers({ site }: { site: string }) {
  const client = useQueryClient();
  const [rows, setRows] = useState(ROWS);
  const [text, setText] = useState('');
  const { data, error } = useQuery({ queryKey: ['servers', site, rows], queryFn: () => answer(api.GET('/api/v1/sites/{site}/servers', { params: { path: { site }, query: { size: rows } } })), placeholderData: keepPreviousData });
  const add = useMutation({
    mutationFn: (body: { addresses: string[]; csv: string }) => answer(api.POST('/api/v1/sites/{site}/servers', { params: { path: { site } }, body: { ...body, dryRun: false } })),
    onSuccess: async (result) => {
      if (result.problemCount === 0) {
        setText('');
      }
      await client.invalidateQueries();
    },
  });
  const take = useMutation({ mutationFn: (id: string) => answer(api.DELETE('/api/v1/sites/{site}/servers/{server}', { params: { path: { site, server: id } } })), onSuccess: () => client.invalidateQueries() });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const waiting = data.items.filter((s) => s.problem?.code === 'server-key-unknown');
  const addresses = text.split(/[\s,]+/).filter((a) => a !== '');
  return (
    <Panel title="Servers" note={`${data.total} in the list, those with a problem first`} wide>
      <Rows
        heads={[
          ['Address', 'left'],
          ['Machine', 'left'],
          ['Let in by', 'left'],
          ['Read', 'left'],
          ['Host key, problem', 'left'],
          ['', 'right'],
        ]}
        rows={data.items.map((s) => ({
          key: s.id,
          cells: [
            s.address,
            s.machineId === '' ? 'not known yet' : <MachineLink key="m" id={s.machineId} name={s.machine} />,
            s.credential,
            s.readAt === null ? 'never' : moment(s.readAt),
            s.problem === null ? (
              <span key="k" style={{ overflowWrap: 'anywhere' }}>
                {s.hostKey === '' ? 'none approved yet' : s.hostKey}
              </span>
            ) : (
              <Box key="p">
                <Status tone="bad" wrap>{`${s.problem.cause}. Next: ${s.problem.remedy.advice}`}</Status>
                {s.problem.code === 'server-key-changed' && <May roles="keeper"><Trust site={site} server={s} /></May>}
                {s.problem.code === 'server-key-unknown' && <May roles="keeper"><Approve site={site} servers={[s]} label={`Approve the host key of ${s.address}`} /></May>}
              </Box>
            ),
            <May key="r" roles="keeper"><Button size="small" onClick={() => take.mutate(s.id)}>
              Remove
            </Button></May>,
          ],
        }))}
        none="No server yet. Give their addresses here."
      />
      {waiting.length > 1 && <May roles="keeper"><Approve site={site} servers={waiting} label={`Approve the ${waiting.length} host keys shown above`} /></May>}
      {data.total > rows && rows < 500 && <Button onClick={() => setRows(Math.min(500, rows * 4))}>{`More of ${data.total}`}</Button>}
      <May roles="keeper"><Box
        component="form"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate({ addresses, csv: '' });
        }}
        sx={{ display: 'flex', gap: 1, mt: 1.5, alignItems: 'center' }}
      >
        <TextField label="Addresses" placeholder="10.20.9.7 10.20.9.8:2222" size="small" value={text} onChange={(e) => setText(e.target.value)} sx={{ minWidth: 360 }} />
        <Button type="submit" variant="outlined" disabled={addresses.length === 0 || add.isPending}>
          Add
        </Button>
        <Button component="label" disabled={add.isPending}>
          From a CSV file
          <input
            type="file"
            hidden
            accept=".csv,text/csv"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = '';
              void file?.text().then((csv) => add.mutate({ addresses: [], csv }));
            }}
          />
        </Button>
      </Box></May>
      {add.data !== undefined && <Imported result={add.data} things="servers" />}
      {add.error !== null && <Trouble error={add.error} />}
      {take.error !== null && <Trouble error={take.error} />}
    </Panel>
  );
}
