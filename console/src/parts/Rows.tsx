import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** A plain table; each row has a key of its own. */
export function Rows({ heads, rows, none }: { heads: [string, 'left' | 'right'][]; rows: { key: string; cells: ReactNode[] }[]; none: string }) {
  if (rows.length === 0) {
    return <Typography color="text.secondary">{none}</Typography>;
  }
  return (
    <Table size="small">
      <TableHead>
        <TableRow>
          {heads.map(([head, align]) => (
            <TableCell key={head} align={align}>
              {head}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => (
          <TableRow key={row.key}>
            {row.cells.map((cell, i) => (
              <TableCell key={heads[i][0]} align={heads[i][1]}>
                {cell}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
