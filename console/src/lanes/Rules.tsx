import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Lane, type Rule } from '../api';
import { May } from '../parts/May';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';
import { useDecide } from './decide';

const PARTS = ['card', 'disk'];
const HINTS: Record<string, string> = { card: 'machine/N', disk: 'machine/N', label: 'key=value', role: 'system, data or log' };

/** The thing that a form names, as the service takes it: a card or disk has its number behind a slash. */
export function named(scope: string, text: string): { of: string; part?: number } {
  const slash = text.lastIndexOf('/');
  const part = Number(text.slice(slash + 1));
  return PARTS.includes(scope) && slash > 0 && Number.isInteger(part) ? { of: text.slice(0, slash), part } : { of: text };
}

/** Settings whose values can be others than those that are listed. */
const WRITTEN = ['address', 'copy'];

/** A decision to make: what, for whom, and its value from what the target takes. */
function Form({ lane }: { lane: Lane }) {
  const { data } = useQuery({ queryKey: ['lanes', lane.id, 'settings'], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/settings', { params: { path: { lane: lane.id } } })) });
  const [setting, setSetting] = useState('');
  const [scope, setScope] = useState('');
  const [of, setOf] = useState('');
  const [value, setValue] = useState('');
  const decide = useDecide(lane);
  const chosen = data?.find((s) => s.setting === setting);
  const listed = chosen !== undefined && chosen.values.length > 0 && !WRITTEN.includes(setting);
  const ready = chosen !== undefined && scope !== '' && value.trim() !== '' && (scope === 'lane' || of.trim() !== '');
  return (
    <Box
      component="form"
      aria-label="Decide"
      onSubmit={(e) => {
        e.preventDefault();
        decide.mutate([{ scope, ...named(scope, of.trim()), setting, value: value.trim() }], { onSuccess: () => setValue('') });
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', flexWrap: 'wrap', mt: 1 }}
    >
      <TextField
        select
        label="Setting"
        size="small"
        value={setting}
        sx={{ width: 160 }}
        onChange={(e) => {
          setSetting(e.target.value);
          setScope('');
          setValue('');
        }}
      >
        {(data ?? []).map((s) => (
          <MenuItem key={s.setting} value={s.setting}>
            {s.setting}
          </MenuItem>
        ))}
      </TextField>
      <TextField select label="For" size="small" value={scope} sx={{ width: 120 }} disabled={chosen === undefined} onChange={(e) => setScope(e.target.value)}>
        {(chosen?.scopes ?? []).map((s) => (
          <MenuItem key={s} value={s}>
            {s}
          </MenuItem>
        ))}
      </TextField>
      {scope !== '' && scope !== 'lane' && <TextField label="Which" size="small" value={of} helperText={HINTS[scope] ?? 'name or id'} onChange={(e) => setOf(e.target.value)} sx={{ width: 190 }} />}
      <TextField select={listed} label="Value" size="small" value={value} helperText={chosen === undefined || listed ? '' : chosen.form} disabled={chosen === undefined} onChange={(e) => setValue(e.target.value)} sx={{ minWidth: 190 }}>
        {listed &&
          chosen.values.map((v) => (
            <MenuItem key={v} value={v}>
              {v}
            </MenuItem>
          ))}
      </TextField>
      <Button type="submit" variant="outlined" disabled={!ready || decide.isPending}>
        Set
      </Button>
      {decide.error !== null && <Trouble error={decide.error} />}
    </Box>
  );
}

const usual = (r: Rule) => r.scope === 'lane' && r.setting === 'address';

/** What a lane decides and for whom; each can be taken back, and what is less specific counts again. */
export function Rules({ lane }: { lane: Lane }) {
  const { data, error } = useQuery({ queryKey: ['lanes', lane.id, 'rules', lane.revision], queryFn: () => answer(api.GET('/api/v1/lanes/{lane}/rules', { params: { path: { lane: lane.id } } })) });
  const decide = useDecide(lane);
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <>
      <Rows
        heads={[
          ['For', 'left'],
          ['Name', 'left'],
          ['Setting', 'left'],
          ['Value', 'left'],
          ['', 'right'],
        ]}
        rows={data.map((r) => ({
          key: [r.scope, r.of, r.part, r.setting].join(' '),
          cells: [
            r.scope,
            r.part < 0 ? r.name : `${r.name}/${r.part}`,
            r.setting,
            r.value,
            <May key="x" roles="planner">
              {!usual(r) && (
                <Button size="small" aria-label={`Unset ${r.setting} of ${r.scope} ${r.name}`} disabled={decide.isPending} onClick={() => decide.mutate([{ scope: r.scope, of: r.of, ...(r.part < 0 ? {} : { part: r.part }), setting: r.setting, value: '' }])}>
                  Unset
                </Button>
              )}
            </May>,
          ],
        }))}
        none="The lane decides nothing."
      />
      {decide.error !== null && <Trouble error={decide.error} />}
      <May roles="planner">
        <Form lane={lane} />
      </May>
    </>
  );
}
