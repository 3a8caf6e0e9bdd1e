import Button from '@mui/material/Button';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { moment } from '../format';
import { MachineLink } from './MachineLink';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const ROWS = 20;

/** What scans found different, of a site or of a machine. */
export function Changes({ site, machine = '' }: { site?: string; machine?: string }) {
  const [rows, setRows] = useState(ROWS);
  const named = site !== undefined;
  const { data, error } = useQuery({ queryKey: ['changes', site, machine, rows], queryFn: () => 
      site === undefined
        ? answer(api.GET('/api/v1/machines/{machine}/changes', { params: { path: { machine }, query: { size: rows } } }))
        : answer(api.GET('/api/v1/sites/{site}/changes', { params: { path: { site }, query: { size: rows } } })), placeholderData: keepPreviousData });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <>
      <Rows
        heads={[
          ['Found', 'left'],
          ...(named ? ([['Machine', 'left']] as ['Machine', 'left'][]) : []),
          ['What', 'left'],
          ['Before', 'left'],
          ['Now', 'left'],
        ]}
        rows={data.items.map((c, i) => ({
          key: String(i),
          cells: [moment(c.at), ...(named ? [<MachineLink key="m" id={c.machineId} name={c.machine} />] : []), c.fact === '' ? c.kind : c.fact, c.former, c.present],
        }))}
        none="No scan found anything different."
      />
      {data.items.length < data.total && rows < 500 && <Button onClick={() => setRows(Math.min(500, rows * 3))}>{`More of ${data.total}`}</Button>}
    </>
  );
}
