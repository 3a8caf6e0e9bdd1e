import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type CsvImport, type ImportResult } from '../api';
import { Imported } from './Imported';
import { Panel } from '../parts/Panel';
import { Trouble } from '../parts/Trouble';

/** One kind of list: a file is looked through first, and taken over when its outcome was seen. */
export function List({ title, give: send, things, columns }: { title: string; give: (list: CsvImport) => Promise<ImportResult>; things: string; columns: string }) {
  const client = useQueryClient();
  const [file, setFile] = useState<{ name: string; csv: string } | null>(null);
  const give = useMutation({
    mutationFn: (asked: { csv: string; dryRun: boolean }) => send({ ...asked, whole: false }),
    onSuccess: () => client.invalidateQueries(),
  });
  const sound = give.data !== undefined && give.data.problemCount === 0;
  return (
    <Box sx={{ mb: 1.5 }}>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap' }}>
        <Button component="label" variant="outlined" disabled={give.isPending}>
          {title}
          <input
            type="file"
            hidden
            aria-label={title}
            accept=".csv,text/csv"
            onChange={(e) => {
              const chosen = e.target.files?.[0];
              e.target.value = '';
              void chosen?.text().then((csv) => {
                setFile({ name: chosen.name, csv });
                give.mutate({ csv, dryRun: true });
              });
            }}
          />
        </Button>
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {columns}
        </Box>
      </Box>
      {file !== null && give.data !== undefined && (
        <>
          <Imported result={give.data} things={`${things} in ${file.name}`} />
          {sound && !give.data.stored && (
            <Button sx={{ mt: 1 }} variant="contained" disabled={give.isPending} onClick={() => give.mutate({ csv: file.csv, dryRun: false })}>
              Import
            </Button>
          )}
        </>
      )}
      {give.error !== null && <Trouble error={give.error} />}
    </Box>
  );
}

/** Lists of an estate that can only be listed. */
export function Lists({ site }: { site: string }) {
  return (
    <Panel title="Lists" note="CSV files, imported whole or not at all" wide>
      <List title="Machines" give={(body) => answer(api.POST('/api/v1/sites/{site}/machines', { params: { path: { site } }, body }))} things="machines" columns="name, id, cpus, memory, os, firmware, power, disks, nics, label.NAME" />
      <List title="Use" give={(body) => answer(api.POST('/api/v1/usage', { body }))} things="samples" columns="machine, time, seconds, cpu, memory, read_bytes, reads, written_bytes, writes, received_bytes, sent_bytes" />
      <List title="Connections" give={(body) => answer(api.POST('/api/v1/sites/{site}/connections', { params: { path: { site } }, body }))} things="connections" columns="client, server, port, protocol, process, count, bytes, first_seen, last_seen" />
    </Panel>
  );
}
