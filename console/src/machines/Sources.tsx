import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { answer, api, type Fact, type Machine } from '../api';
import { duration, moment, size } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

const FIRST = 8;

/** Sources that tell the same of a fact, together, with the newest time; the one that counts comes first. */
function agreeing(fact: Fact): { value: string; sites: string[]; at: string | null }[] {
  const values = new Map<string, { value: string; sites: string[]; at: string | null }>();
  fact.told.forEach((t) => {
    const known = values.get(t.value) ?? { value: t.value, sites: [], at: null };
    known.sites.push(t.site);
    known.at = known.at === null || (t.at !== null && t.at > known.at) ? t.at : known.at;
    values.set(t.value, known);
  });
  return [...values.values()];
}

/** What each source says of a machine, and when. */
export function Sources({ machine }: { machine: Machine }) {
  const [all, setAll] = useState(false);
  const { data, error } = useQuery({ queryKey: ['facts', machine.id], queryFn: () => answer(api.GET('/api/v1/machines/{machine}/facts', { params: { path: { machine: machine.id } } })) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const told = machine.sources.map((s) => `${s.site}${s.home ? ' (its home)' : ''}`).join(', ');
  return (
    <Panel title="Facts by source" note={`from ${told}`} wide>
      <Rows
        heads={[
          ['Fact', 'left'],
          ['Value', 'left'],
          ['Source', 'left'],
          ['At', 'left'],
        ]}
        rows={data.slice(0, all ? data.length : FIRST).flatMap((f) => agreeing(f).map((t, i) => ({ key: `${f.fact} ${t.value}`, cells: [i === 0 ? f.fact : '', t.value, t.sites.join(', '), t.at === null ? '' : moment(t.at)] })))}
        none="Nothing is known of it."
      />
      {data.length > FIRST && <Button onClick={() => setAll(!all)}>{all ? 'Fewer' : `All ${data.length} facts`}</Button>}
    </Panel>
  );
}

/** What was read from inside a machine. */
export function Inside({ machine }: { machine: Machine }) {
  const [packages, setPackages] = useState(false);
  const { data, error } = useQuery({ queryKey: ['surveys', machine.id], queryFn: () => answer(api.GET('/api/v1/machines/{machine}/surveys', { params: { path: { machine: machine.id } } })) });
  if (data === undefined || data.length === 0) {
    return error === null ? null : <Trouble error={error} />;
  }
  const s = data[0];
  return (
    <Panel title="Inside" note={`read by ${s.site} as ${s.account} at ${moment(s.readAt)}`} wide>
      <p style={{ marginTop: 0 }}>
        {[[s.vendor, s.product].filter((x) => x !== '').join(' '), s.cpuModel, s.architecture].filter((x) => x !== '').join(', ')}; up for {duration(s.uptimeSeconds)}; {s.packages.length} packages
        {s.patchedAt === null ? '' : `, changed last ${moment(s.patchedAt)}`}.{s.services.length > 0 && ` Services: ${s.services.join(', ')}.`}
      </p>
      <Box sx={{ display: 'grid', gap: 2, alignItems: 'start', gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' } }}>
        <Rows
          heads={[
            ['Device', 'left'],
            ['Size', 'right'],
            ['Part of', 'left'],
            ['Mounted at', 'left'],
          ]}
          rows={s.devices.map((d) => ({ key: d.name, cells: [d.name, size(d.bytes), d.parents.join(' '), d.mounts.join(' ')] }))}
          none="No block devices."
        />
        <Rows
          heads={[
            ['Serves', 'left'],
            ['At', 'left'],
            ['Process', 'left'],
          ]}
          rows={s.listeners.map((l, i) => ({ key: String(i), cells: [`${l.protocol} ${l.port}`, l.address, l.process] }))}
          none="Nothing is served."
        />
      </Box>
      {s.unread.length > 0 && <p>Not read: {s.unread.map((u) => `${u.fact} (${u.why})`).join('; ')}.</p>}
      <Button onClick={() => setPackages(!packages)}>{packages ? 'Hide the packages' : 'Show the packages'}</Button>
      {packages && (
        <Rows
          heads={[
            ['Package', 'left'],
            ['Version', 'left'],
            ['Architecture', 'left'],
          ]}
          rows={s.packages.map((p) => ({ key: `${p.name} ${p.architecture} ${p.version}`, cells: [p.name, p.version, p.architecture] }))}
          none="No packages."
        />
      )}
    </Panel>
  );
}
