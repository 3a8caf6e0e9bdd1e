import Box from '@mui/material/Box';
import type { ImportResult } from '../api';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';

/** What became of a list, or what would become of it. */
export function Imported({ result, things }: { result: ImportResult; things: string }) {
  if (result.problemCount === 0) {
    return (
      <Box sx={{ mt: 1 }}>
        <Status tone="good">{`${result.rows} ${things}: ${result.added} new, ${result.changed} changed${result.gone > 0 ? `, ${result.gone} gone` : ''}${result.stored ? '' : '; nothing is stored yet'}`}</Status>
      </Box>
    );
  }
  return (
    <Box sx={{ mt: 1 }}>
      <Status tone="bad">{`${result.problemCount} ${result.problemCount === 1 ? 'thing is' : 'things are'} wrong: nothing is stored`}</Status>
      <Rows
        heads={[
          ['Line', 'right'],
          ['Column', 'left'],
          ['Reason', 'left'],
        ]}
        rows={result.problems.slice(0, 100).map((p, i) => ({ key: String(i), cells: [p.line, p.column, p.reason] }))}
        none=""
      />
      {result.problems.length > 100 && `The first 100 of ${result.problemCount}.`}
    </Box>
  );
}
