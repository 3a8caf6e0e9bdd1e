import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink, useParams } from 'react-router';
import { answer, api, type Run, type Site } from '../api';
import { between, duration, moment } from '../format';
import { Adoption } from './Adoption';
import { Agents } from './Agents';
import { Changes } from '../machines/Changes';
import { Findings } from '../parts/Findings';
import { Leftovers } from './Leftovers';
import { Lists } from '../machines/Lists';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Servers } from './Servers';
import { Status, toneOf } from '../parts/Status';
import { Trouble } from '../parts/Trouble';
import { SiteStatus } from './SitesPage';
import { May } from '../parts/May';

/** When the site is scanned by itself. */
function Schedule({ site }: { site: Site }) {
  const client = useQueryClient();
  const [cron, setCron] = useState(site.schedule);
  const edit = useMutation({ mutationFn: () => answer(api.PUT('/api/v1/sites/{site}/schedule', { params: { path: { site: site.id } }, body: { cron } })), onSuccess: () => client.invalidateQueries() });
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        edit.mutate();
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'center', mt: 1.5, flexWrap: 'wrap' }}
    >
      <TextField label="Scan on schedule (cron, UTC)" placeholder="30 2 * * *" size="small" value={cron} onChange={(e) => setCron(e.target.value)} sx={{ width: 290 }} />
      <Button type="submit" disabled={cron === site.schedule || edit.isPending}>
        Set
      </Button>
      <span>{site.nextScanAt === null ? 'off' : `next ${moment(site.nextScanAt)}`}</span>
      {edit.error !== null && <Trouble error={edit.error} />}
    </Box>
  );
}

/** Which credentials it tries, in the order in which they are chosen. */
function CredentialsOf({ site }: { site: Site }) {
  const client = useQueryClient();
  const [names, setNames] = useState(site.credentials);
  const { data } = useQuery({ queryKey: ['credentials'], queryFn: () => answer(api.GET('/api/v1/credentials')) });
  const edit = useMutation({ mutationFn: () => answer(api.PUT('/api/v1/sites/{site}/credentials', { params: { path: { site: site.id } }, body: { credentials: names } })), onSuccess: () => client.invalidateQueries() });
  return (
    <Box
      component="form"
      onSubmit={(e) => {
        e.preventDefault();
        edit.mutate();
      }}
      sx={{ display: 'flex', gap: 1, alignItems: 'center', mt: 1.5, flexWrap: 'wrap' }}
    >
      <Autocomplete
        multiple
        size="small"
        options={(data ?? []).map((c) => c.name)}
        value={names}
        onChange={(_, chosen) => setNames(chosen)}
        renderInput={(input) => <TextField {...input} label="Credentials, in the order of trying" />}
        sx={{ width: 290 }}
      />
      <Button type="submit" disabled={names.join() === site.credentials.join() || edit.isPending}>
        Use these
      </Button>
      {edit.error !== null && <Trouble error={edit.error} />}
    </Box>
  );
}

const told = (run: Run) => run.problem?.detail ?? run.steps.map((s) => s.detail).filter((d) => d !== '').join('; ');

/** One site: what its check found, its scans, and what they found different. */
export function SitePage() {
  const { site: ref = '' } = useParams();
  const client = useQueryClient();
  const { data: site, error } = useQuery({ queryKey: ['site', ref], queryFn: () => answer(api.GET('/api/v1/sites/{site}', { params: { path: { site: ref } } })), retry: false });
  const scans = useQuery({ queryKey: ['scans', ref], queryFn: () => answer(api.GET('/api/v1/sites/{site}/scans', { params: { path: { site: ref } } })), enabled: site !== undefined });
  const ask = useMutation({ 
    mutationFn: async (what: 'check' | 'scan') => {
      const params = { path: { site: ref } };
      await (what === 'check' ? answer(api.POST('/api/v1/sites/{site}/check', { params })) : answer(api.POST('/api/v1/sites/{site}/scan', { params })));
    }, onSettled: () => client.invalidateQueries() });
  if (site === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const running = scans.data?.some((r) => r.endedAt === null) ?? false;
  return (
    <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
      <Panel title={site.name} note={<SiteStatus site={site} />}>
        <p style={{ marginTop: 0 }}>
          {site.kind}
          {site.address !== '' && ` at ${site.address}`}
          {site.platform !== null && `, ${site.platform} ${site.version ?? ''}`.trimEnd()}.{' '}
          <Link component={RouterLink} to={`/machines?filter=${encodeURIComponent(`site = ${site.name}`)}`}>
            {site.machines === 1 ? '1 machine' : `${site.machines} machines`}
          </Link>
          {site.scannedAt === null ? '; never scanned.' : `; last scanned ${moment(site.scannedAt)}.`}
          {site.credentials.length > 0 && ` Credentials: ${site.credentials.join(', then ')}.`}
        </p>
        {site.kind !== 'csv' && (
          <>
            <May roles="planner keeper"><Box sx={{ display: 'flex', gap: 1 }}>
              <Button variant="contained" disabled={ask.isPending || running} onClick={() => ask.mutate('scan')}>
                {running ? 'Scanning' : 'Scan now'}
              </Button>
              <Button disabled={ask.isPending} onClick={() => ask.mutate('check')}>
                Check now
              </Button>
            </Box></May>
            <May key={site.schedule} roles="planner keeper"><Schedule site={site} /></May>
            {(site.kind === 'standin' || site.kind === 'servers') && <May key={site.credentials.join()} roles="keeper"><CredentialsOf site={site} /></May>}
          </>
        )}
        {ask.error !== null && <Trouble error={ask.error} />}
      </Panel>
      <Panel title="Check" note={site.checkedAt === null ? 'not checked yet' : moment(site.checkedAt)}>
        <Findings findings={site.findings} none={site.checkedAt === null ? 'Check it to see what it can do and what is in the way.' : 'Reach, permissions, clock and version are in order.'} />
      </Panel>
      {site.kind === 'servers' && <Servers site={ref} />}
      {site.kind === 'agents' && <Agents site={ref} />}
      {site.kind === 'csv' && <May roles="planner"><Lists site={ref} /></May>}
      <Panel title="Scans" note="newest first" wide>
        <Rows
          heads={[
            ['Started', 'left'],
            ['State', 'left'],
            ['Took', 'right'],
            ['What it read', 'left'],
            ['By', 'left'],
          ]}
          rows={(scans.data ?? []).map((r) => ({
            key: r.id,
            cells: [
              moment(r.startedAt),
              <Status key="s" tone={toneOf(r.state)}>
                {r.state}
              </Status>,
              r.endedAt === null ? '' : duration(between(r.startedAt, r.endedAt)),
              told(r),
              r.startedBy,
            ],
          }))}
          none="It was never scanned."
        />
      </Panel>
      {(site.kind === 'standin' || site.kind === 'libvirt') && (
        <>
          <Leftovers site={site.name} />
          <May roles="keeper"><Adoption site={site.name} /></May>
        </>
      )}
      <Panel title="Changes" note="what scans found different, newest first" wide>
        <Changes site={ref} />
      </Panel>
    </Box>
  );
}
