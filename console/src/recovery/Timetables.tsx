import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { secondsOf, shortDuration } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { May } from '../parts/May';

interface Changed {
  name: string;
  every: string;
  rpo: string;
  keep: string;
  verify: boolean;
  quiesce: boolean;
}

/** A length of time to be edited: none of it may be lost where two units don't tell all of it. */
function exact(seconds: number): string {
  const text = shortDuration(seconds);
  return secondsOf(text) === seconds ? text : `${seconds}s`;
}

/** What replication keeps to, by name; a change takes effect at once on all waves that keep to it. */
export function Timetables() {
  const client = useQueryClient();
  const [changed, setChanged] = useState<Changed | null>(null);
  const { data, error } = useQuery({ queryKey: ['timetables'], queryFn: () => answer(api.GET('/api/v1/timetables')) });
  const every = secondsOf(changed?.every ?? '');
  const rpo = secondsOf(changed?.rpo ?? '');
  const keep = Number(changed?.keep);
  const change = useMutation({
    mutationFn: (to: Changed) =>
      answer(
        api.PUT('/api/v1/timetables/{timetable}', {
          params: { path: { timetable: to.name } },
          body: { everySeconds: every ?? null, rpoSeconds: rpo ?? null, keepPoints: keep, verify: to.verify, quiesce: to.quiesce },
        }),
      ),
    onSuccess: async () => {
      setChanged(null);
      await client.invalidateQueries();
    },
  });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const text = (name: 'every' | 'rpo' | 'keep', label: string, wrong: boolean, help: string) => (
    <TextField
      size="small"
      label={label}
      value={changed?.[name] ?? ''}
      error={wrong}
      helperText={wrong ? help : ' '}
      onChange={(e) => setChanged((c) => c && { ...c, [name]: e.target.value })}
    />
  );
  const check = (name: 'verify' | 'quiesce', label: string) => (
    <FormControlLabel
      control={<Checkbox size="small" checked={changed?.[name] ?? false} onChange={(e) => setChanged((c) => c && { ...c, [name]: e.target.checked })} />}
      label={label}
    />
  );
  const wrongKeep = !Number.isInteger(keep) || keep < 1;
  return (
    <Panel title="Timetables" note="a change takes effect at once on every wave that keeps to it">
      <Rows
        heads={[
          ['Name', 'left'],
          ['A pass every', 'right'],
          ['RPO', 'right'],
          ['Points kept', 'right'],
          ['Verified', 'left'],
          ['Writes held', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((t) => ({
          key: t.id,
          cells: [
            t.name,
            shortDuration(t.everySeconds),
            shortDuration(t.rpoSeconds),
            t.keepPoints,
            t.verify ? 'yes' : 'no',
            t.quiesce ? 'where guests can' : 'no',
            <May key="c" roles="planner mover"><Button size="small"
              onClick={() => {
                change.reset();
                setChanged({ name: t.name, every: exact(t.everySeconds), rpo: exact(t.rpoSeconds), keep: String(t.keepPoints), verify: t.verify, quiesce: t.quiesce });
              }}
            >
              Change
            </Button></May>,
          ],
        }))}
        none="No timetable yet. Add one: bargelane timetable add NAME --every 5m --rpo 15m"
      />
      {changed !== null && (
        <Box
          component="form"
          aria-label={`Change timetable ${changed.name}`}
          autoComplete="off"
          onSubmit={(e) => {
            e.preventDefault();
            change.mutate(changed);
          }}
          sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'flex-start', mt: 1.5 }}
        >
          {text('every', `${changed.name}: a pass every`, every === undefined, 'such as 30s, 5m or 1h30m')}
          {text('rpo', 'RPO', rpo === undefined, 'such as 5m or 1h')}
          {text('keep', 'Points kept', wrongKeep, 'a whole number')}
          {check('verify', 'Verify what is written')}
          {check('quiesce', "Hold guests' writes at the snapshot")}
          <Button type="submit" variant="outlined" disabled={every === undefined || rpo === undefined || wrongKeep || change.isPending}>
            Change {changed.name}
          </Button>
          <Button onClick={() => setChanged(null)}>Leave it</Button>
        </Box>
      )}
      {change.error !== null && <Trouble error={change.error} />}
    </Panel>
  );
}
