import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

/** Short texts stay on one line: what wraps is what is long. */
const SHORT = 24;

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
            <TableCell key={head} align={align} sx={{ whiteSpace: 'nowrap' }}>
              {head}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => (
          <TableRow key={row.key}>
            {row.cells.map((cell, i) => (
              <TableCell key={heads[i][0]} align={heads[i][1]} sx={typeof cell === 'string' && cell.length <= SHORT ? { whiteSpace: 'nowrap' } : undefined}>
                {cell}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
