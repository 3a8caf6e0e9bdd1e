import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { answer, api } from '../api';
import { between, duration, moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { GuestConsoles } from './GuestConsoles';
import { RunSteps } from './RunSteps';
import { Status, toneOf } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { ActionDialog } from '../waves/ActionDialog';
import { stopping, type Action } from '../waves/actions';
import { May } from '../parts/May';

const MOST = 100;

/** Every run, newest first; one opens into its steps. The choice is in the address. */
export function ActivityPage() {
  const client = useQueryClient();
  const [search, setSearch] = useSearchParams();
  const [action, setAction] = useState<Action | null>(null);
  const open = search.get('open') === 'true';
  const passes = search.get('passes') === 'true';
  const { data, error } = useQuery({ queryKey: ['runs', open, passes], queryFn: () => answer(api.GET('/api/v1/runs', { params: { query: { size: MOST, open, passes } } })) });
  const opened = search.get('run') ?? '';
  const one = useQuery({ queryKey: ['runs', opened], queryFn: () => answer(api.GET('/api/v1/runs/{run}', { params: { path: { run: opened } } })), enabled: opened !== '', retry: false });
  const choose = (name: string, value: string) =>
    setSearch(
      (now) => {
        if (value === '') {
          now.delete(name);
        } else {
          now.set(name, value);
        }
        return now;
      },
      { replace: true },
    );
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const shown = one.data;
  return (
    <Box sx={{ display: 'grid', gap: 1.5 }}>
      {action !== null && (
        <ActionDialog
          wave=""
          action={action}
          onClose={() => setAction(null)}
          onRun={async (typed) => {
            await action.ask(typed);
            await client.invalidateQueries({ queryKey: ['runs'] });
          }}
        />
      )}
      <Panel title="Runs" note={data.length === MOST ? `the newest ${MOST}` : `${data.length}`}>
        <Box sx={{ display: 'flex', gap: 1, mb: 1 }}>
          <Button variant={open ? 'contained' : 'outlined'} aria-pressed={open} onClick={() => choose('open', open ? '' : 'true')}>
            Only those that run
          </Button>
          <Button variant={passes ? 'contained' : 'outlined'} aria-pressed={passes} onClick={() => choose('passes', passes ? '' : 'true')}>
            With the timetables&apos; passes
          </Button>
        </Box>
        <Rows
          heads={[
            ['Run', 'left'],
            ['What', 'left'],
            ['Of', 'left'],
            ['State', 'left'],
            ['Began', 'left'],
            ['Took', 'right'],
            ['By', 'left'],
          ]}
          rows={data.map((r) => ({
            key: r.id,
            cells: [
              <Button key="r" size="small" aria-expanded={r.id === opened} onClick={() => choose('run', r.id === opened ? '' : r.id)}>
                {r.id}
              </Button>,
              r.title,
              <Link key="s" component={RouterLink} to={`/${r.subjectKind === 'wave' ? 'waves' : 'sites'}/${r.subject}`}>
                {r.subject}
              </Link>,
              <Status key="t" tone={toneOf(r.state)}>
                {r.state}
              </Status>,
              moment(r.startedAt),
              r.endedAt === null ? '' : duration(Math.max(0, between(r.startedAt, r.endedAt))),
              r.startedBy,
            ],
          }))}
          none="Nothing has run yet. A scan of a site is the first: open a site and scan it."
        />
      </Panel>
      {one.error !== null && <Trouble error={one.error} />}
      {shown !== undefined && (
        <Panel title={`Steps of ${shown.id}`}>
          <RunSteps run={shown} now={shown.endedAt === null ? Date.now() : Date.parse(shown.endedAt)} />
          <GuestConsoles run={shown.id} />
          {shown.state === 'running' && (
            <May roles="mover" own><Button size="small" variant="outlined" sx={{ mt: 1 }} onClick={() => setAction(stopping(shown))}>
              Stop
            </Button></May>
          )}
        </Panel>
      )}
    </Box>
  );
}
