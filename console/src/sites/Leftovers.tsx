import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api } from '../api';
import { May } from '../parts/May';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

/** What of ours is at a site; what no service keeps can be removed. */
export function Leftovers({ site }: { site: string }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const [typed, setTyped] = useState('');
  const params = { path: { site } };
  const look = useMutation({ mutationFn: () => answer(api.GET('/api/v1/sites/{site}/leftovers', { params })) });
  const remove = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/sites/{site}/leftovers/removal', { params, body: { confirm: typed, names: chosen, owner: '' } })),
    onSettled: () => {
      setChosen([]);
      setTyped('');
      look.mutate();
    },
  });
  const things = look.data ?? [];
  const strays = things.filter((t) => !t.recorded).length;
  const stayed = (remove.data ?? []).filter((r) => r.problem !== '');
  return (
    <Panel title="Things of ours" note="volumes, points, snapshots and markers that this service or another one made here" wide>
      <Button variant="outlined" disabled={look.isPending} onClick={() => look.mutate()}>
        Look for them
      </Button>
      {look.error !== null && <Trouble error={look.error} />}
      {look.data !== undefined && (
        <Box sx={{ mt: 1.5 }}>
          <Rows
            heads={[
              ['', 'left'],
              ['Kind', 'left'],
              ['Name', 'left'],
              ['Owner', 'left'],
              ['Kept by', 'left'],
            ]}
            rows={things.map((t) => ({
              key: `${t.kind} ${t.name}`,
              cells: [
                t.recorded ? (
                  ''
                ) : (
                  <May key="c" roles="keeper">
                    <Checkbox
                      size="small"
                      slotProps={{ input: { 'aria-label': `Remove ${t.name}` } }}
                      checked={chosen.includes(t.name)}
                      onChange={(e) => setChosen(e.target.checked ? [...chosen, t.name] : chosen.filter((n) => n !== t.name))}
                    />
                  </May>
                ),
                t.kind,
                t.name,
                t.owner,
                <Status key="s" tone={t.recorded ? 'good' : 'waiting'}>
                  {t.recorded ? 'this service' : 'nobody that is known here'}
                </Status>,
              ],
            }))}
            none="Nothing of ours is here."
          />
        </Box>
      )}
      {strays > 0 && chosen.length > 0 && (
        <Box
          component="form"
          onSubmit={(e) => {
            e.preventDefault();
            remove.mutate();
          }}
          sx={{ display: 'flex', gap: 1, alignItems: 'center', flexWrap: 'wrap', mt: 1.5 }}
        >
          <TextField size="small" label={`Type the site's name: ${site}`} value={typed} onChange={(e) => setTyped(e.target.value)} autoComplete="off" sx={{ width: 290 }} />
          <Button type="submit" variant="contained" color="error" disabled={typed !== site || remove.isPending}>
            {chosen.length === 1 ? 'Remove it for good' : `Remove ${chosen.length} for good`}
          </Button>
          <span>Another service may keep what this one does not know.</span>
        </Box>
      )}
      {remove.error !== null && <Trouble error={remove.error} />}
      {stayed.map((r) => (
        <p key={r.name}>
          {r.kind} {r.name} is still there: {r.problem}
        </p>
      ))}
    </Panel>
  );
}
