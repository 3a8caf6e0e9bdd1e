import Button from '@mui/material/Button';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { get, type Change, type Page } from '../api';
import { moment } from '../format';
import { MachineLink } from './MachineLink';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const ROWS = 20;

/** What scans found different, of a site or of a machine. */
export function Changes({ path, named = true }: { path: string; named?: boolean }) {
  const [rows, setRows] = useState(ROWS);
  const { data, error } = useQuery({ queryKey: ['changes', path, rows], queryFn: () => get<Page<Change>>(`${path}/changes?size=${rows}`), placeholderData: keepPreviousData });
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
